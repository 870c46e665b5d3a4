<script lang="ts">
	/** Of a limited field: the options left. */
	import type { BodyOf } from '$core';
	import { useWorkbench } from '../../work/workbench.svelte';
	import { bodyEdit, type EditorProps } from '../view';

	let { rule, body, disabled }: EditorProps<BodyOf<'state'>> = $props();

	const w = useWorkbench();
	const set = bodyEdit(w, () => rule, 'state');
	const options = $derived(w.openOptions(rule.type, rule.outputs[0]?.field ?? ''));
	const toggle = (id: string) =>
		set('options left', (b) => ({
			...b,
			options: options
				.map((x) => x.id)
				.filter((x) => (x === id ? !b.options.includes(x) : b.options.includes(x)))
		}));
</script>

{#if body.state === 'limited'}
	<fieldset class="mt-2" {disabled}>
		<legend class="text-xs text-quiet">Options left</legend>
		{#each options as o (o.id)}
			<label class="mr-4 inline-flex min-h-7 items-center gap-1">
				<input
					type="checkbox"
					checked={body.options.includes(o.id)}
					onchange={() => toggle(o.id)}
				/>
				{o.label}
			</label>
		{:else}<p class="text-brick">● This field has no options to limit.</p>{/each}
	</fieldset>
{/if}
