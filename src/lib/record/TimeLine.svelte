<script lang="ts">
	/**
	 * The history of a record as a line of time: what each field held from when to when and who set it, the changes that
	 * did it, and at which other records these began or ran on.
	 */
	import { ROAD_LABEL, type Road, type JsonValue } from '$core';
	import { dayIn, formatDate, formatMoment } from '../words/format';
	import { useWorkbench } from '../work/workbench.svelte';
	import { lanesOf, places, type ChangeThen } from './spans';

	interface Happened extends ChangeThen {
		who: string | null;
		entryPoint: Road;
		began: { type: string; record: string } | null;
	}
	let {
		type,
		history,
		until = null,
		along,
		say,
		label
	}: {
		type: string;
		/** Newest first. */
		history: readonly Happened[];
		/** When the next change came after these, ISO 8601; null where they are the newest. */
		until?: string | null;
		/** Other records that a change changed. */
		along: (change: string) => readonly { type: string; record: string }[];
		say: (field: string, v: JsonValue, at: string) => string;
		label: (field: string, at: string) => string;
	} = $props();

	const w = useWorkbench();
	const uid = $props.id();
	/** Most changes that are drawn: the newest. */
	const MOST = 40;
	const LEFT = 150;
	const BEFORE = 56;
	const AFTER = 90;
	const LANE = 22;

	const changes = $derived(history.slice(0, MOST).toReversed());
	const lanes = $derived(
		lanesOf(
			changes,
			w.schema.type(type).type.fields.map((f) => f.id)
		)
	);
	let width = $state(900);
	const opened = Date.now();
	const last = $derived(until ? Date.parse(until) : opened);
	const xs = $derived(
		places([...changes.map((c) => Date.parse(c.at)), last], width - LEFT - BEFORE - AFTER).map(
			(x) => x + LEFT + BEFORE
		)
	);
	const end = $derived((xs.at(-1) ?? LEFT) + AFTER);
	const x = (place: number) => (place < 0 ? LEFT : place >= changes.length ? end : xs[place]);
	const began = $derived(changes.some((c) => c.began));
	const ranOn = $derived(changes.some((c) => along(c.change).some((o) => !isBegan(c, o))));
	const isBegan = (c: Happened, o: { type: string; record: string }) =>
		c.began?.type === o.type && c.began.record === o.record;
	const top = $derived(began ? 44 : 26);
	const bottom = $derived(top + lanes.length * LANE);
	const height = $derived(bottom + (ranOn ? 40 : 22));

	const BY = { before: ', before what is told here', rule: ', by a rule', sent: ', entered' };
	let chosen = $state<string | null>(null);
	/** What the pointer is over, in words: a span may be too short for its value. */
	let pointed = $state('');
	const picked = $derived(changes.find((c) => c.change === chosen) ?? null);
	const title = (r: { type: string; record: string }) =>
		w.titles.all[`${r.type}.${r.record}`] ?? `No. ${r.record}`;
	const day = (iso: string) => dayIn(iso, w.model.zone) ?? '';
	/** Days are named where the one before is another and there is room. */
	const days = $derived.by(() => {
		const out: { x: number; text: string }[] = [];
		changes.forEach((c, i) => {
			const before = i ? day(changes[i - 1].at) : '';
			if (day(c.at) === before) return;
			const at = xs[i];
			if (out.length && at - out.at(-1)!.x < 78) return;
			if (end - AFTER - at < 78 && i < changes.length - 1) return;
			out.push({ x: at, text: formatDate(day(c.at)) });
		});
		return out;
	});
	const does = (c: Happened) => {
		const lines = c.lines.filter((l) => l.outcome === 'set');
		const byRules = lines.filter((l) => l.claim).length;
		const sent = lines.length - byRules;
		return [
			sent ? `${sent} ${c.entryPoint === 'model' ? 'taken out' : 'entered'}` : '',
			byRules ? `${byRules} by rules` : '',
			c.lines.some((l) => l.outcome === 'set aside') ? 'some set aside' : '',
			c.lines.some((l) => l.outcome === 'failed') ? 'a rule failed' : ''
		]
			.filter(Boolean)
			.join(', ');
	};
	const sayChange = (c: Happened) =>
		`${formatMoment(c.at, w.model.zone)}, ${c.who ?? 'somebody'} by the ${ROAD_LABEL[c.entryPoint]}${c.began ? `, begun at ${title(c.began)}` : ''}: ${does(c) || 'nothing written'}`;
	let marks = $state<SVGElement[]>([]);
	function keys(e: KeyboardEvent, i: number) {
		const to = { ArrowLeft: i - 1, ArrowRight: i + 1, Home: 0, End: changes.length - 1 }[e.key];
		if (to !== undefined && changes[to]) {
			e.preventDefault();
			chosen = changes[to].change;
			marks[to]?.focus();
		} else if (e.key === 'Enter' || e.key === ' ') {
			e.preventDefault();
			pick(changes[i].change, true);
		}
	}
	function pick(change: string, go: boolean) {
		chosen = change;
		if (go) document.getElementById(`change-${change}`)?.scrollIntoView({ block: 'nearest' });
	}
	const stop = $derived(chosen ?? changes.at(-1)?.change);
</script>

<div class="overflow-x-auto" bind:clientWidth={width}>
	<svg
		width={end}
		{height}
		role="group"
		aria-label="Line of time: {changes.length} changes; left and right go from one to the next"
		class="block text-xs"
	>
		{#each days as d (d.x)}<text x={d.x} y="10" class="fill-quiet" text-anchor="middle"
				>{d.text}</text
			>{/each}
		<text x={end - AFTER} y="10" class="fill-quiet" text-anchor="middle"
			>{until ? formatDate(day(until)) : 'now'}</text
		>
		{#each lanes as lane, i (lane.field)}
			{@const y = top + i * LANE}
			<text x="0" y={y + 15} class="fill-ink">{label(lane.field, changes.at(-1)!.at)}</text>
			{#each lane.spans as s, n (n)}
				{@const wide = x(s.to) - x(s.from)}
				{@const at = s.from < 0 ? changes[0].at : changes[s.from].at}
				{@const text = say(lane.field, s.value, at)}
				<g
					role="presentation"
					onmouseenter={() => (pointed = `${label(lane.field, at)}: ${text}${BY[s.by]}`)}
					onmouseleave={() => (pointed = '')}
				>
					<rect
						x={x(s.from)}
						y={y + 2}
						width={Math.max(1, wide - 1)}
						height={LANE - 4}
						class={s.by === 'rule'
							? 'fill-band-1 stroke-brass'
							: s.by === 'sent'
								? 'fill-sheet stroke-field-line'
								: 'fill-none stroke-hairline'}
						stroke-dasharray={s.by === 'before' ? '2 3' : undefined}
					/>
					{#if wide > 26}
						<clipPath id="{uid}-{i}-{n}"
							><rect x={x(s.from)} y={y + 2} width={wide - 4} height={LANE - 4} /></clipPath
						>
						<text
							x={x(s.from) + 4}
							y={y + 15}
							clip-path="url(#{uid}-{i}-{n})"
							class={s.by === 'rule'
								? 'fill-brass-ink'
								: s.by === 'sent'
									? 'fill-ink'
									: 'fill-quiet'}>{text}</text
						>
					{/if}
				</g>
			{/each}
		{/each}
		{#if began}<text x="0" y={27} class="fill-quiet">begun at others</text>{/if}
		{#if ranOn}<text x="0" y={bottom + 26} class="fill-quiet">changed others</text>{/if}
		{#each changes as c, i (c.change)}
			{@const others = along(c.change).filter((o) => !isBegan(c, o)).length}
			<line
				x1={xs[i]}
				x2={xs[i]}
				y1={c.began ? 22 : top - 6}
				y2={others ? bottom + 18 : bottom}
				class={chosen === c.change ? 'stroke-ink' : 'stroke-line'}
				stroke-width={chosen === c.change ? 2 : 1}
			/>
			{#if c.began}<rect
					x={xs[i] - 4}
					y="18"
					width="8"
					height="8"
					class="fill-teal"
					transform="rotate(45 {xs[i]} 22)"
				/>{/if}
			{#if others}<rect
					x={xs[i] - 4}
					y={bottom + 18}
					width="8"
					height="8"
					class="fill-brass"
					transform="rotate(45 {xs[i]} {bottom + 22})"
				/><text x={xs[i] + 8} y={bottom + 26} class="fill-quiet">{others > 1 ? others : ''}</text
				>{/if}
			<g
				bind:this={marks[i]}
				role="button"
				tabindex={stop === c.change ? 0 : -1}
				aria-label={sayChange(c)}
				aria-pressed={chosen === c.change}
				onclick={() => pick(c.change, false)}
				onfocus={() => (chosen = c.change)}
				onkeydown={(e) => keys(e, i)}
				class="cursor-pointer outline-none"
			>
				<rect
					x={xs[i] - 12}
					y={top - 18}
					width="24"
					height={bottom - top + 18}
					class="fill-none"
					pointer-events="all"
				/>
				<circle
					cx={xs[i]}
					cy={top - 6}
					r={chosen === c.change ? 6 : 4}
					class={c.lines.some((l) => l.outcome === 'failed') ? 'fill-brick' : 'fill-ink'}
				/>
			</g>
		{/each}
	</svg>
</div>
<p class="min-h-6 text-sm" role="status">
	{#if pointed}{pointed}.
	{:else if picked}
		{formatMoment(picked.at, w.model.zone)}, {picked.who ?? 'somebody'} by the {ROAD_LABEL[
			picked.entryPoint
		]}{#if picked.began}, begun at <a
				class="textlink"
				href="/records/{picked.began.type}/{picked.began.record}">{title(picked.began)}</a
			>{/if}: {does(picked) ||
			'nothing written'}{#if along(picked.change).some((o) => !isBegan(picked, o))}; changed
			{#each along(picked.change)
				.filter((o) => !isBegan(picked, o))
				.slice(0, 6) as o, i (o.type + o.record)}{i ? ', ' : ' '}<a
					class="textlink"
					href="/records/{o.type}/{o.record}">{title(o)}</a
				>{/each}{along(picked.change).length > 6 ? ' and others' : ''}{/if}.
		<button class="textlink" onclick={() => pick(picked.change, true)}>Its lines</button>
	{:else}<span class="text-quiet"
			>{history.length > MOST
				? `The newest ${MOST} ${until ? 'of these changes' : 'changes'}. `
				: ''}Distances grow with the time between, not in proportion.
			<span class="text-brass-ink">Brass</span> is what rules wrote.</span
		>{/if}
</p>
