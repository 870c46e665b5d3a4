<script lang="ts">
	/** What one webhook was told and is to be told, and what the receiver made of it. */
	import { hookShown } from '$door/shown';
	import Choose from '$lib/inputs/Choose.svelte';
	import Form from '$lib/inputs/Form.svelte';
	import HookInputs from '$lib/outside/HookInputs.svelte';
	import Secret from '$lib/outside/Secret.svelte';
	import { formatCount, formatMoment } from '$lib/words/format';
	import { loadAgain } from '$lib/outside/again';
	import { useWorkbench } from '$lib/work/workbench.svelte';

	let { data, form } = $props();
	const w = useWorkbench();
	const h = $derived(data.hook);
	const at = (iso: string) => formatMoment(iso, w.model.zone);
	const STATUS = {
		waiting: { text: '… waiting', tone: 'text-quiet' },
		taken: { text: '✓ taken', tone: 'text-teal' },
		refused: { text: '● refused', tone: 'text-brick' },
		'given up': { text: '● given up', tone: 'text-brick' },
		skipped: { text: '○ left out', tone: 'text-quiet' }
	} as const;
	const STATES = [
		{ value: 'on', label: 'on', help: 'is told at once' },
		{ value: 'paused', label: 'paused', help: 'what happens is kept, and leaves later' },
		{ value: 'off', label: 'off', help: 'nothing is kept for it' }
	];
	const ANSWERS = [
		{ value: 'takes', label: 'takes what it gets', help: 'answers 200' },
		{ value: 'away', label: 'is away', help: 'answers 503' },
		{ value: 'refuses', label: 'refuses what it gets', help: 'answers 422' },
		{ value: 'slow', label: 'answers too late', help: 'takes it, after twelve seconds' }
	];
	/** What is stored of it, in words. */
	function says(input: string, value: string): string {
		if (input === 'name') return `its name is “${value}”`;
		if (input === 'address')
			return `it tells ${value || 'the receiver that ships with Rigid Rule'}`;
		if (input === 'state') return `it is ${value}`;
		const types = value.split(' ').filter(Boolean);
		return `of ${types.map((t) => w.schema.types.get(t)?.type.plural ?? t).join(', ') || 'records of all types'}`;
	}
	const KIND = { created: 'created', changed: 'changed', deleted: 'deleted' } as const;
	// by way of what is stored: what is chosen stays when the page loads again and that is the same
	const storedState = $derived(h.state);
	let chosenState = $derived<string>(storedState);
	const storedAnswers = $derived(data.receiver?.answers ?? 'takes');
	let answers = $derived<string>(storedAnswers);
	const filters = $derived([
		{ status: undefined, label: 'all', n: null },
		{ status: 'waiting', label: 'waiting', n: h.waiting },
		{ status: 'taken', label: 'taken', n: Number(h.taken) },
		{ status: 'refused', label: 'refused', n: h.refused },
		{ status: 'given up', label: 'given up', n: h['given up'] },
		{ status: 'skipped', label: 'left out', n: h.skipped }
	]);
	const query = (q: Record<string, string | null | undefined>) =>
		`?${new URLSearchParams(Object.entries(q).flatMap(([k, v]) => (v ? [[k, v]] : [])))}`;
	const lost = $derived(h.refused + h['given up']);
	/** Shown until the page is left. */
	let secret = $state<string | null>(null);
	$effect(() => {
		if (form && 'secret' in form) secret = form.secret as string;
	});

	interface Told {
		version: number;
		by: string;
		changes: { field: string; rule: string | null }[];
	}
	const told = (body: string) => (JSON.parse(body) as { data: Told }).data;
	/** What stands in it in a line: how many values, and by which rules. */
	function brief(type: string, body: string): string {
		const { changes, by } = told(body);
		const fields = changes.map((c) => w.schema.field(type, c.field)?.label ?? c.field);
		const shown = fields.slice(0, 4).join(', ');
		return `${shown}${fields.length > 4 ? ` and ${fields.length - 4} more` : ''}${shown ? ', ' : ''}by ${by}`;
	}
	const shownBody = (body: string) => JSON.stringify(JSON.parse(body), null, 2);
	loadAgain('app:outside', () => h.waiting > 0);
</script>

<svelte:head><title>{h.name} · Webhooks · Rigid Rule</title></svelte:head>

<div class="px-6 pt-3 pb-10">
	<p class="text-sm"><a class="textlink" href="/webhooks">Webhooks</a></p>
	<h1 class="text-xl">{h.name}</h1>
	<p class="text-quiet">
		Tells {h.address ?? 'the receiver that ships with Rigid Rule'} of {h.types
			? h.types.map((id) => w.schema.types.get(id)?.type.plural ?? id).join(', ')
			: 'records of all types'}{h.by ? `, made by ${h.by}` : ''} on {at(h.made)}.
	</p>
	{#if h.offBecause}<p class="mt-1 text-brick">● It was switched off: {h.offBecause}</p>{/if}
	{#if h.state === 'on' && h.failed}
		<p class="mt-1 text-brick">
			● {h.failed === 1 ? 'The last attempt' : `The last ${h.failed} attempts`} failed{h.restsUntil
				? `; it rests until ${at(h.restsUntil)}`
				: ''}.
		</p>
	{/if}
	{#if secret}<Secret
			{secret}
			says="The new secret, shown this once. For a day the former one signs as well:"
		/>{/if}
	{#if data.receiver}
		<div class="mt-2 flex flex-wrap items-center gap-x-4 border-y border-hairline py-2 text-sm">
			<span
				>The receiver got <span class="mono">{formatCount(data.receiver.got)}</span>, each with a
				signature that fits; {data.receiver.doubles
					? `${formatCount(data.receiver.doubles)} came once more and ${data.receiver.doubles === 1 ? 'was' : 'were'} dropped`
					: 'none came twice'};
				{#if data.receiver.outOfOrder}<span class="text-ochre"
						>▲ {formatCount(data.receiver.outOfOrder)} came after a later change of the record</span
					>{:else}all in order{/if}.</span
			>
			<span class="flex items-center gap-2"
				>It
				{#if w.may('operate')}
					<Form name="standIns" action="?/answers" class="flex items-center gap-2" keep>
						<Choose
							label="How the receiver answers"
							name="receiver"
							value={answers}
							choices={ANSWERS}
							class="w-48"
							onpick={(v) => (answers = v)}
						/>
						<button class="button">Have it so</button>
					</Form>
				{:else}{ANSWERS.find((a) => a.value === data.receiver?.answers)?.label}.{/if}
			</span>
		</div>
	{/if}

	<nav class="mt-3 flex flex-wrap gap-4 text-sm" aria-label="Which events">
		{#each filters as f (f.label)}<a
				class="textlink"
				class:font-semibold={data.status === f.status}
				aria-current={data.status === f.status ? 'true' : undefined}
				href={query({ status: f.status })}
				>{f.label}{#if f.n !== null}
					<span class="mono text-quiet">&nbsp;{formatCount(f.n)}</span>{/if}</a
			>{/each}
		{#if w.may('operate') && lost}
			<Form name="event" action="?/again" keep>
				<input type="hidden" name="id" value="" /><button class="textlink"
					>Send all {formatCount(lost)} again that did not arrive</button
				>
			</Form>
		{/if}
	</nav>
	<div class="ticks mt-1"></div>
	<table class="grid-table text-sm">
		<thead><tr><th>When</th><th>Record</th><th>What</th><th>State</th></tr></thead>
		<tbody>
			{#each data.events as e (e.id)}
				<tr>
					<td class="whitespace-nowrap">{at(e.at)}</td>
					<td
						>{#if e.kind === 'deleted'}{w.schema.types.get(e.type)?.type.label ?? e.type} No. {e.record}{:else}<a
								class="textlink"
								href="/records/{e.type}/{e.record}"
								>{data.titles[`${e.type}.${e.record}`] ??
									`${w.schema.types.get(e.type)?.type.label ?? e.type} No. ${e.record}`}</a
							>{/if}</td
					>
					<td
						>{KIND[e.kind]}, version <span class="mono">{told(e.body).version}</span>
						<div class="max-w-xl text-quiet">{brief(e.type, e.body)}</div>
						<details>
							<summary class="textlink w-fit cursor-pointer">As sent</summary>
							<pre
								class="mono mt-1 max-h-80 max-w-2xl overflow-auto border border-hairline bg-paper p-2 text-xs"
								tabindex="-1">{shownBody(e.body)}</pre>
						</details></td
					>
					<td>
						<span class="whitespace-nowrap {STATUS[e.status].tone}">{STATUS[e.status].text}</span>
						{#if e.behind}<div class="text-quiet">behind an earlier change of the record</div>{/if}
						{#if e.trouble}<div class="max-w-sm break-words text-quiet">{e.trouble}</div>{/if}
						{#if e.next && h.state === 'on'}<div class="text-quiet">
								{e.attempts}
								{e.attempts === 1 ? 'attempt' : 'attempts'}; again at {at(e.next)}
							</div>{:else if e.status === 'taken'}<div class="text-quiet">
								{e.settled ? at(e.settled) : ''}{e.attempts > 1
									? `, at attempt ${e.attempts}`
									: ''}{e.received && e.received.times > 1
									? `; it had come before and was dropped`
									: ''}
							</div>{/if}
						{#if w.may('operate') && h.state !== 'off'}
							<div class="flex gap-3">
								{#if e.status !== 'waiting' || (e.attempts && !e.behind)}
									<Form name="event" action="?/again" keep>
										<input type="hidden" name="id" value={e.id} /><button
											class="textlink"
											aria-label="Send the event of change {e.change} again"
											>{e.status === 'waiting' ? 'Try now' : 'Send again'}</button
										>
									</Form>
								{/if}
								{#if e.status === 'waiting' && e.attempts}
									<Form name="event" action="?/skip" keep>
										<input type="hidden" name="id" value={e.id} /><button
											class="textlink"
											aria-label="Leave out the event of change {e.change}">Leave out</button
										>
									</Form>
								{/if}
							</div>
						{/if}
					</td>
				</tr>
			{:else}
				<tr
					><td colspan="4" class="text-quiet"
						>{data.status
							? 'No event in this state.'
							: 'Nothing has happened yet of which it is told.'}</td
					></tr
				>
			{/each}
		</tbody>
	</table>
	{#if data.before || data.more}
		<p class="mt-2 flex gap-4 text-sm">
			{#if data.before}<a class="textlink" href={query({ status: data.status })}>Newest</a>{/if}
			{#if data.more}<a
					class="textlink"
					href={query({ status: data.status, before: data.events.at(-1)?.id })}>Older</a
				>{/if}
		</p>
	{/if}

	{#if w.may('operate')}
		<section class="mt-5 max-w-5xl border border-line bg-sheet p-5" aria-labelledby="change-h">
			<h2 id="change-h">Change it</h2>
			<Form
				name="hookChange"
				action="?/change"
				class="mt-2 grid gap-3"
				keep
				shown={hookShown(h)}
				{says}
			>
				<HookInputs hook={h} />
				<span class="text-sm"
					>It is<br /><Choose
						label="Whether it is told"
						name="state"
						value={chosenState}
						choices={STATES}
						class="w-40"
						onpick={(v) => (chosenState = v)}
					/></span
				>
				<div><button class="button">Store</button></div>
			</Form>
			<div class="mt-4 flex flex-wrap items-start gap-6 border-t border-hairline pt-3 text-sm">
				<Form name="plain" action="?/secret" keep>
					<button class="textlink">Give it a new secret</button>
					<p class="text-quiet">
						{h.formerUntil
							? `The former one signs as well until ${at(h.formerUntil)}.`
							: 'The present one signs as well for a day.'}
					</p>
				</Form>
				<details>
					<summary class="textlink w-fit cursor-pointer">Delete it</summary>
					<Form name="plain" action="?/remove" class="mt-1">
						<p>
							{h.waiting ? `What waits for it, ${formatCount(h.waiting)}, never leaves. ` : ''}What
							it was told is forgotten.
						</p>
						<button class="button mt-1">Delete “{h.name}”</button>
					</Form>
				</details>
			</div>
		</section>
	{/if}
</div>
