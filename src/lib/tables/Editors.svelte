<script lang="ts">
	/** Who may edit the rows of a living table. */
	import type { Role } from '$door/rights';
	import MultiChoose from '../inputs/MultiChoose.svelte';
	import { Refused, ask } from '../work/http';
	import { useWorkbench } from '../work/workbench.svelte';
	import { andList } from '../words/format';

	let {
		table,
		editors,
		people,
		onfault
	}: {
		table: string;
		/** Accounts. */
		editors: readonly string[];
		people: readonly { id: string; name: string; role: Role; service: boolean }[];
		onfault: (message: string) => void;
	} = $props();

	const w = useWorkbench();
	const named = $derived(people.filter((p) => editors.includes(p.id)).map((p) => p.name));
	const admins = 'administrators';
	async function say(accounts: string[]) {
		try {
			await ask(`/tables/${table}/editors`, {
				method: 'PUT',
				body: {
					add: accounts.filter((a) => !editors.includes(a)),
					remove: editors.filter((a) => !accounts.includes(a))
				}
			});
			await w.reload();
		} catch (e) {
			if (!(e instanceof Refused)) throw e;
			onfault(e.message);
		}
	}
</script>

{#if w.may('settings')}
	<span class="inline-flex items-center gap-1"
		>edited by <MultiChoose
			label="Who edits the rows"
			values={[...editors]}
			choices={people
				.filter((p) => p.role !== 'administrator')
				.map((p) => ({ value: p.id, label: p.name }))}
			class="max-w-60"
			onpick={(v) => void say(v)}
		/> and {admins}</span
	>
{:else}<span>edited by {andList([...named, admins])}</span>{/if}
