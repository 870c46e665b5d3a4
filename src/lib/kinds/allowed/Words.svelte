<script lang="ts">
	import type { BodyOf } from '$core';
	import { useWorkbench } from '../../work/workbench.svelte';
	import Source from '../Source.svelte';
	import Target from '../Target.svelte';
	import { bodyEdit, type WordsProps } from '../view';

	let { rule, body, output, disabled }: WordsProps<BodyOf<'allowed'>> = $props();

	const w = useWorkbench();
	const set = bodyEdit(w, () => rule, 'allowed');
</script>

<Target {rule} {output} label="Field it is about" {disabled} />
is limited to what the grid allows for
<Source
	{rule}
	value={body.input}
	label="Field that limits it"
	accept={(f) => f.type === 'choice' && f.id !== output.field}
	{disabled}
	onpick={(v) => set('input', (b) => ({ ...b, input: v, rows: {} }))}
/>.
