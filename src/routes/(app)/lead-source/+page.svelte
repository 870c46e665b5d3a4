<script lang="ts">
	/** The stand-in for a source of leads, and what it posted: to watch rules at work. */
	import { PACES } from '$door/forms';
	import Choose from '$lib/inputs/Choose.svelte';
	import Form from '$lib/inputs/Form.svelte';
	import { formatCount, formatMoment, formatValue } from '$lib/words/format';
	import { loadAgain } from '$lib/outside/again';
	import { useWorkbench } from '$lib/work/workbench.svelte';
	import type { JsonValue } from '$core';

	let { data } = $props();
	const w = useWorkbench();
	const s = $derived(data.source);
	const at = (iso: string) => formatMoment(iso, w.model.zone);
	let of = $derived(
		data.services.some((x) => x.id === s.account) ? s.account! : (data.services[0]?.id ?? '')
	);
	let type = $derived(
		s.type ?? (w.schema.types.has('lead') ? 'lead' : (w.model.types[0]?.id ?? ''))
	);
	let every = $derived(String(s.every in PACES ? s.every : 5000));
	const paces = Object.entries(PACES)
		.sort(([a], [b]) => Number(a) - Number(b))
		.map(([value, label]) => ({ value, label }));
	const label = (type: string, field: string) => w.schema.field(type, field)?.label ?? field;
	const say = (type: string, field: string, v: JsonValue) => {
		const f = w.schema.field(type, field);
		return f ? formatValue(f, v, w.schema, w.titles.all) || 'blank' : String(v);
	};
	type Change = { field: string; to: JsonValue; rule: string | null };
	const changes = (answer: Record<string, JsonValue>): Change[] =>
		Array.isArray(answer.changes) ? (answer.changes as unknown as Change[]) : [];
	const byRules = (answer: Record<string, JsonValue>) => changes(answer).filter((c) => c.rule);
	loadAgain('app:outside', () => s.until !== null);
</script>

<svelte:head><title>Lead source · Rigid Rule</title></svelte:head>

<div class="px-6 pt-3 pb-10">
	<h1 class="text-xl">Lead source</h1>
	<p class="max-w-3xl text-quiet">
		A stand-in for a web form of somebody else’s: it posts through the API, as a service with a
		token of its own. What it says is mixed of what records hold; now and then one comes twice under
		the same key, and now and then one chooses what no list has.
	</p>
	<div class="mt-2 border-y border-hairline py-2 text-sm">
		{#if s.until}
			<div class="flex flex-wrap items-center gap-4">
				<span
					><span class="text-teal">●</span> At work until {at(s.until)}: {PACES[
						String(s.every) as keyof typeof PACES
					] ?? `one in ${s.every / 1000} s`}. <span class="mono">{formatCount(s.posted)}</span> posted
					so far.</span
				>
				{#if w.may('operate')}
					<Form name="plain" action="?/stop" keep><button class="button">Stop</button></Form>
				{/if}
			</div>
		{:else if !w.may('operate')}
			It is not at work. Operators and administrators start it.
		{:else if !data.services.length}
			It acts for a service that may create records. There is none:
			<a class="textlink" href="/people">add one under People</a>.
		{:else}
			<Form name="leadSource" action="?/start" class="flex flex-wrap items-end gap-3" keep>
				<span
					>Posts<br /><Choose
						label="What it posts"
						name="type"
						value={type}
						choices={w.model.types.map((t) => ({ value: t.id, label: t.plural }))}
						class="w-36"
						onpick={(v) => (type = v)}
					/></span
				>
				<span
					>Acts as<br /><Choose
						label="Acts as"
						name="of"
						value={of}
						choices={data.services.map((x) => ({ value: x.id, label: x.name, help: x.role }))}
						class="w-48"
						onpick={(v) => (of = v)}
					/></span
				>
				<span
					>Pace<br /><Choose
						label="Pace"
						name="every"
						value={every}
						choices={paces}
						class="w-44"
						onpick={(v) => (every = v)}
					/></span
				>
				<label
					>for<br /><input class="box mono w-16" name="minutes" inputmode="numeric" value="5" /> minutes</label
				>
				<button class="button">Start</button>
			</Form>
		{/if}
	</div>
	<div class="ticks mt-3"></div>
	<table class="grid-table text-sm">
		<thead
			><tr><th>When</th><th>What it said</th><th>Answer</th><th>What rules made of it</th></tr
			></thead
		>
		<tbody>
			{#each data.posted as p (p.id)}
				<tr>
					<td class="whitespace-nowrap"
						>{at(p.at)}
						<div class="text-quiet">{p.key}</div></td
					>
					<td class="max-w-md"
						>{#each Object.entries(p.sent) as [field, v], i (field)}{i ? ' · ' : ''}<span
								class="text-quiet">{label(p.type, field)}</span
							>
							{say(p.type, field, v)}{/each}</td
					>
					<td class="max-w-xs"
						>{#if p.replayed}<span class="text-quiet">○ {p.status}, as before: not twice</span
							>{:else if p.status === 201}<span class="text-teal">✓ {p.status}</span>
							{#if typeof p.answer.id === 'string'}<a
									class="textlink"
									href="/records/{p.type}/{p.answer.id}"
									>{data.titles[`${p.type}.${p.answer.id}`] ?? `No. ${p.answer.id}`}</a
								>{/if}{:else}<span class="text-brick">● {p.status ?? 'no answer'}</span>
							<div class="text-quiet">{p.answer.message ?? ''}</div>{/if}
						<div class="mono text-xs text-quiet">{p.took} ms</div></td
					>
					<td class="max-w-md"
						>{#if !p.replayed}{#each byRules(p.answer) as c (c.field)}<div>
									<span class="text-quiet">{label(p.type, c.field)}</span>
									<span class="text-brass">{say(p.type, c.field, c.to)}</span>
									<span class="text-quiet">by {c.rule}</span>
								</div>{/each}{/if}</td
					>
				</tr>
			{:else}
				<tr><td colspan="4" class="text-quiet">Nothing was posted yet.</td></tr>
			{/each}
		</tbody>
	</table>
</div>
