<script lang="ts">
	/** What a blank gives; what is given stands in the sentence. */
	import type { BodyOf } from '$core';
	import type { EditorProps } from '../view';
	import BlankGives from './BlankGives.svelte';

	let { rule, body, disabled }: EditorProps<BodyOf<'formula'>> = $props();
</script>

<BlankGives {rule} {body} {disabled} />
