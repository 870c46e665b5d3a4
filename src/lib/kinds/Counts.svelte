<script lang="ts">
	/** When a check or state counts: at changes of what it reads, or at every save. */
	import Word from '../words/Word.svelte';

	let {
		always,
		disabled,
		onpick
	}: { always: boolean; disabled: boolean; onpick: (always: boolean) => void } = $props();
</script>

<Word
	label="When it counts"
	value={always ? 'always' : 'touched'}
	choices={[
		{
			value: 'touched',
			label: 'when something it reads changes',
			help: 'old mistakes elsewhere stop nobody'
		},
		{ value: 'always', label: 'at every save' }
	]}
	{disabled}
	onpick={(v) => onpick(v === 'always')}
/>
