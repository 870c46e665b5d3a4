<script lang="ts">
	import type { BodyOf, OncePer } from '$core';
	import { ONCE_PER } from '$core';
	import Word from '../../words/Word.svelte';
	import { ONCE_LABEL } from '../../words/format';
	import { useWorkbench } from '../../work/workbench.svelte';
	import { bodyEdit, type AfterProps } from '../view';

	let { rule, body, disabled }: AfterProps<BodyOf<'message'>> = $props();

	const w = useWorkbench();
	const set = bodyEdit(w, () => rule, 'message');
	/** Records of other types that point to this one, for messages to each of them. */
	const pointing = $derived(
		w.model.types.flatMap((t) =>
			t.fields
				.filter((f) => f.type === 'link' && f.target === rule.type)
				.map((f) => ({
					value: `${t.id}.${f.id}`,
					label: `each of its ${f.inverse ?? t.plural.toLowerCase()}`
				}))
		)
	);
</script>

a message goes to
<Word
	label="For whom it is"
	tone="writes"
	value={body.each ? `${body.each.type}.${body.each.field}` : ''}
	{disabled}
	choices={[{ value: '', label: 'one address' }, ...pointing]}
	onpick={(v) => {
		const [type, field] = v.split('.');
		set('for whom', (b) => ({ ...b, each: v ? { type, field } : null, filter: null }));
	}}
/>,
<Word
	label="How often at most"
	value={body.once}
	{disabled}
	choices={ONCE_PER.map((o) => ({ value: o, label: ONCE_LABEL[o] }))}
	onpick={(v) => set('how often', (b) => ({ ...b, once: v as OncePer }))}
/>.
