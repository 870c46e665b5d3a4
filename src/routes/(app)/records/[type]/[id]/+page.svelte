<script lang="ts">
	import { LocalDate, conditionTree, type Expr } from '$core';
	import { EVERYTHING, listQuery } from '$door/lists';
	import DateInput from '$lib/inputs/DateInput.svelte';
	import AsItWas from '$lib/record/AsItWas.svelte';
	import { untrack } from 'svelte';
	import { goto } from '$app/navigation';
	import { page } from '$app/state';
	import HistoryTable from '$lib/record/HistoryTable.svelte';
	import RecordForm from '$lib/record/RecordForm.svelte';
	import TimeLine from '$lib/record/TimeLine.svelte';
	import { formatCount, formatMoment } from '$lib/words/format';
	import { wordsThen } from '../../../../../runtime/past';
	import { ask, type Refused } from '$lib/work/http';
	import { tell } from '$lib/shell/notices';
	import { useWorkbench } from '$lib/work/workbench.svelte';

	let { data, params } = $props();
	const w = useWorkbench();
	const type = $derived(w.schema.type(params.type).type);
	const short = $derived(page.url.searchParams.get('form') === 'short');
	const { label, say } = $derived(wordsThen(w.schema, params.type, data.past, w.titles.all));
	untrack(() => w.titles.learn(data.links));
	$effect.pre(() => w.titles.learn(data.links));
	const moment = (at: string) => formatMoment(at, w.model.zone);
	const stamped = $derived.by(() => {
		const { made, changed } = data.stamps ?? {};
		if (!made || !changed) return '';
		return `made ${moment(made)}${changed === made ? '' : `, last changed ${moment(changed)}`}`;
	});
	const was = $derived(data.then);
	let typed = $state<string | null>(null);
	/** The day stands in the address; blank for now. */
	function asOf(day: string) {
		const to = new URL(page.url);
		if (day) to.searchParams.set('on', day);
		else to.searchParams.delete('on');
		void goto(to, { keepFocus: true, noScroll: true });
	}
	/** The list of those that point here. */
	const pointing = ({ type: of, field }: { type: string; field: string }) => {
		const subject: Expr = { k: 'field', image: 'settled', type: of, field };
		const operand: Expr = { k: 'record', type: params.type, id: data.id };
		const row = { k: 'row' as const, subject, relation: 'is', operands: [[operand]] };
		const where = { expr: conditionTree({ k: 'group', how: 'all', items: [row] })! };
		return `/records/${of}?${listQuery({ ...EVERYTHING, where })}`;
	};
	const along = (change: string) => data.along[change] ?? [];

	let asking = $state(false);
	let refused = $state('');
	async function remove() {
		try {
			await ask(`/save/${params.type}?id=${data.id}&version=${data.version}`, { method: 'DELETE' });
			const { title } = data;
			const here = `/records/${params.type}/${data.id}`;
			await goto(`/records/${params.type}`);
			tell(`${title} was deleted.`, { label: 'Look at it', do: () => void goto(here) });
		} catch (e) {
			refused = (e as Refused).message;
		}
		asking = false;
	}
</script>

<svelte:head><title>{data.title} · Rigid Rule</title></svelte:head>

<div class="px-6 pt-3 pb-4">
	<div class="mb-2 flex items-baseline gap-3">
		<h1 class="truncate text-xl">{data.title}</h1>
		<span class="text-sm whitespace-nowrap text-quiet"
			>{type.label} <span class="mono">{data.id}</span>{stamped && ` · ${stamped}`}</span
		>
		<span class="grow"></span>
		{#if w.canEdit}
			{#if asking}
				<span class="text-sm">Delete this {type.label.toLowerCase()}?</span>
				<button class="textlink text-brick" onclick={remove}>Yes, delete it</button>
				<button class="textlink" onclick={() => (asking = false)}>No</button>
			{:else}
				<button class="textlink" onclick={() => ((asking = true), (refused = ''))}>Delete</button>
			{/if}
		{/if}
		<a
			class="textlink whitespace-nowrap"
			aria-current={short ? undefined : 'true'}
			class:font-semibold={!short}
			href="?">full form</a
		>
		<a
			class="textlink whitespace-nowrap"
			aria-current={short ? 'true' : undefined}
			class:font-semibold={short}
			href="?form=short">short form</a
		>
	</div>
	{#if refused}<p class="mb-2 bg-brick-wash px-4 py-2 text-brick" role="alert">● {refused}</p>{/if}
	{#if data.pending}<p class="mb-2 bg-ochre-wash px-4 py-2" role="status">
			<span class="text-ochre">▲ Pending:</span> a change elsewhere runs on to this record and has not
			reached it yet. What rules read from there may still change here.
		</p>{/if}
	{#if was}
		<AsItWas type={params.type} then={was} values={data.values} {say} {label} />
	{/if}
	{#key `${data.id} ${short}`}
		<RecordForm
			type={params.type}
			id={data.id}
			version={data.version}
			values={data.values}
			setBy={data.setBy}
			links={data.links}
			{short}
			inLine={data.inLine}
			pilot={data.member !== null}
			line={data.line}
		/>
	{/key}

	{#if data.related.length}
		<section class="mt-5" aria-label="Related records">
			<h2>Related records</h2>
			<div class="ticks mt-1"></div>
			<ul class="text-sm">
				{#each data.related as x (`${x.type}.${x.field}`)}
					{@const of = w.schema.type(x.type).type}
					<li class="flex flex-wrap items-baseline gap-x-3 border-b border-hairline py-1">
						<a class="textlink font-semibold" href={pointing(x)}
							>{formatCount(Math.min(x.n, x.most))}{x.n > x.most ? '+' : ''}
							{(x.n === 1 ? of.label : of.plural).toLowerCase()}</a
						>
						<span class="text-quiet">by {w.schema.field(x.type, x.field)?.label}</span>
						{#each x.newest as r (r.id)}<a class="textlink" href="/records/{x.type}/{r.id}"
								>{r.title}</a
							>{/each}
					</li>
				{/each}
			</ul>
		</section>
	{/if}

	<section class="mt-5" id="history" aria-label="History">
		<div class="flex flex-wrap items-baseline gap-4">
			<h2>History</h2>
			<span class="flex items-center gap-2 text-sm"
				>As it was at the end of
				<DateInput
					class="w-36"
					label="As it was on"
					value={typed ?? was?.on ?? ''}
					oninput={(d) => {
						typed = d;
						if (!d || LocalDate.parse(d)) asOf(d);
					}}
					onleave={() => (typed = null)}
					onpick={asOf}
				/>
				{#if was}<button class="textlink" onclick={() => asOf('')}>as it is now</button>{/if}</span
			>
		</div>
		<div class="ticks mt-1"></div>
		{#if data.history.some((h) => h.lines.some((l) => l.outcome === 'set'))}
			{#key `${data.id} ${data.part.before?.change}`}<TimeLine
					type={params.type}
					history={data.history}
					until={data.part.before?.at ?? null}
					{along}
					{say}
					{label}
				/>{/key}
		{/if}
		<HistoryTable
			type={params.type}
			id={data.id}
			history={data.history}
			part={data.part}
			{along}
			{say}
			{label}
		/>
	</section>
</div>
