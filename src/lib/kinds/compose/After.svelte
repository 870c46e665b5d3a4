<script lang="ts">
	import type { BodyOf } from '$core';
	import Word from '../../words/Word.svelte';
	import { useWorkbench } from '../../work/workbench.svelte';
	import { bodyEdit, type AfterProps } from '../view';

	let { rule, body, disabled }: AfterProps<BodyOf<'compose'>> = $props();

	const w = useWorkbench();
	const set = bodyEdit(w, () => rule, 'compose');
</script>

Blank parts
<Word
	label="What becomes of blank parts"
	value={typeof body.blanks === 'object' ? 'write' : body.blanks}
	text={typeof body.blanks === 'object' ? `are written “${body.blanks.write}”` : undefined}
	{disabled}
	choices={[
		{ value: 'leave out', label: 'are left out', help: 'with the signs and spaces around them' },
		{ value: 'no result', label: 'leave no text at all' },
		{ value: 'write', label: 'are written “–”' }
	]}
	onpick={(v) =>
		set('blanks', (b) => ({
			...b,
			blanks: v === 'write' ? { write: '–' } : (v as 'leave out' | 'no result')
		}))}
/>.
