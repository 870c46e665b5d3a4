<script lang="ts">
	/**
	 * Bands on a ruler drawn to scale, above the spread of the existing values. Limits are dragged,
	 * moved with the arrow keys or typed; the dot says to which band a limit itself belongs.
	 */
	import { ask } from '../../work/http';
	import type { Snippet } from 'svelte';
	import { max } from 'd3-array';
	import { scaleLinear, scaleSymlog, scaleUtc } from 'd3-scale';
	import type { Body, Field, JsonValue, Limit, Schema } from '$core';
	import { LocalDate, bandText, fromJson } from '$core';
	import type { Distribution } from '$door/distribution';
	import { formatCount, formatDate, formatNumber } from '../../words/format';
	import ValueInput from '../../inputs/ValueInput.svelte';
	import Word from '../../words/Word.svelte';
	import { CumulativeCounts, type About } from './distribution';

	type Bands = Body & { kind: 'bands' };

	let {
		body,
		schema,
		inputType,
		inputField,
		dates = false,
		inputLabel,
		target,
		sample,
		none,
		disabled = false,
		tried,
		mark,
		onchange
	}: {
		body: Bands;
		schema: Schema;
		/** Record type, and the field the input reads, where it reads one: for the spread. */
		inputType: string;
		inputField: string | null;
		/** The bands part dates: on the scale they are days since 1970. */
		dates?: boolean;
		inputLabel: string;
		target: Field;
		/** The input's value in the sample. */
		sample: JsonValue;
		/** What happens without a result, in words. */
		none: string;
		disabled?: boolean;
		/** Whether a trial stands at a limit (0), or just below (-1) or above it (1); null while that is not known. */
		tried?: (at: string, side: -1 | 0 | 1) => boolean | null;
		/** Marks a band by its number, and blank. */
		mark?: Snippet<[string]>;
		onchange: (label: string, body: Bands) => void;
	} = $props();

	const uid = $props.id();
	const W = 540;
	const TOP = 18;
	const BASE = 84;
	const BAR = 26;
	const TINTS = [
		'var(--color-band-1)',
		'var(--color-band-2)',
		'var(--color-band-3)',
		'var(--color-band-4)'
	];

	let spread = $state.raw<Distribution | null>(null);
	/** The records are being counted. */
	let counting = $state(false);
	$effect(() => {
		spread = null;
		counting = !!inputField;
		if (!inputField) return;
		const url = `/look/spread?type=${inputType}&field=${inputField}`;
		let gone = false;
		const answered = (s: Distribution | null) => {
			if (gone) return;
			spread = s;
			counting = false;
		};
		// without an answer the ruler has no spread above it
		void ask<Distribution>(url).then(answered, () => answered(null));
		return () => {
			gone = true;
		};
	});

	/** Where a value lies on the scale; null when it is none. */
	function onScale(text: string): number | null {
		if (dates) return LocalDate.parse(text)?.epochDay ?? null;
		const x = Number(text);
		return text !== '' && Number.isFinite(x) ? x : null;
	}
	/** A place on the scale as the text of a limit, and as people read it. */
	const textAt = (x: number) =>
		dates ? String(LocalDate.fromEpochDay(Math.round(x)) ?? '') : String(x);
	const sayAt = (x: number) => (dates ? formatDate(textAt(x)) : formatNumber(String(x)));
	const numbers = $derived(body.limits.map((l) => onScale(l.at) ?? 0));
	const cumulative = $derived(spread && new CumulativeCounts(spread));
	const low = $derived(
		dates
			? Math.min(...numbers.map((x) => x - 60), cumulative?.least ?? Infinity)
			: Math.min(0, cumulative?.least ?? 0, ...numbers)
	);
	const high = $derived(
		dates
			? Math.max(...numbers.map((x) => x + 60), cumulative?.greatest ?? -Infinity)
			: Math.max(1, ...numbers.map((x) => x * 1.6), cumulative?.quantile(0.995) ?? 0)
	);
	/** Far apart limits want a scale on which the small ones can still be told apart. */
	const positive = $derived(numbers.filter((x) => x > 0));
	const logarithmic = $derived(
		!dates && positive.length > 1 && Math.max(...positive) / Math.min(...positive) > 8
	);
	const scale = $derived(
		logarithmic
			? scaleSymlog()
					.constant(Math.max(1, (Math.min(...positive) || 1) / 2))
					.domain([low, high])
					.range([0, W])
			: scaleLinear().domain([low, high]).range([0, W])
	);
	const ticks = $derived.by(() => {
		if (dates)
			return scaleUtc([low * 864e5, high * 864e5], [0, W])
				.ticks(6)
				.map((d) => d.getTime() / 864e5);
		if (!logarithmic) return scale.ticks(8);
		const out: number[] = [0];
		for (
			let p = 10 ** Math.floor(Math.log10(Math.max(1, Math.min(...positive))));
			p <= high;
			p *= 10
		)
			for (const k of [1, 2, 5]) if (p * k <= high) out.push(p * k);
		return out;
	});
	const bars = $derived.by(() => {
		if (!cumulative?.total) return [];
		const edges = Array.from({ length: 31 }, (_, i) => Number(scale.invert((i * W) / 30)));
		const passed = edges.map((x, i) => cumulative.below(x, i === 30).n);
		const bins = edges.slice(1).map((x, i) => ({
			from: scale(edges[i]),
			to: scale(x),
			n: passed[i + 1] - (i ? passed[i] : 0)
		}));
		const most = max(bins, (b) => b.n) || 1;
		return bins.map((b) => ({
			x: b.from,
			w: Math.max(0, b.to - b.from - 1),
			h: (b.n / most) * (BASE - TOP - 6)
		}));
	});
	const counts = $derived(
		cumulative?.counts(numbers.map((at, i) => ({ at, above: body.limits[i].belongs === 'above' })))
	);
	const sayCount = ({ n, exact }: About) => `${exact ? '' : '≈ '}${formatCount(n)}`;
	const segments = $derived(
		body.results.map((r, k) => {
			const from = k === 0 ? 0 : clamp(scale(numbers[k - 1]));
			const to = k === numbers.length ? W : clamp(scale(numbers[k]));
			return { k, from, to, label: r ? sayResult(r[0]) : 'no band', has: !!r };
		})
	);
	const sampleAt = $derived(
		typeof sample === 'string' && onScale(sample) !== null ? clamp(scale(onScale(sample)!)) : null
	);

	function clamp(x: number) {
		return Math.max(0, Math.min(W, x));
	}
	function sayResult(v: JsonValue): string {
		if (v === null) return 'nothing';
		if (target.list && typeof v === 'string') return schema.option(target.list, v)?.label ?? v;
		return typeof v === 'string' ? formatNumber(v) : String(v);
	}
	/** Tint by place among the bands that give something. */
	function tint(k: number): string {
		const rank = body.results.slice(0, k).filter(Boolean).length;
		const many = body.results.filter(Boolean).length;
		return TINTS[many <= 4 ? rank : Math.floor((rank * 4) / many)] ?? TINTS[3];
	}

	// ---- changing ---------------------------------------------------------------------------

	function setLimit(i: number, at: string) {
		onchange('limit', { ...body, limits: body.limits.map((l, k) => (k === i ? { ...l, at } : l)) });
	}
	function flip(i: number) {
		const turn = (l: Limit): Limit => ({
			...l,
			belongs: l.belongs === 'above' ? 'below' : 'above'
		});
		onchange('side of limit', {
			...body,
			limits: body.limits.map((l, k) => (k === i ? turn(l) : l))
		});
	}
	function addLimit() {
		const last = body.limits.at(-1);
		const behind = numbers.at(-1) ?? 0;
		const at = dates ? textAt(behind + 365) : last ? String(Math.round(behind * 2) || 10) : '10';
		onchange('new limit', {
			...body,
			limits: [...body.limits, { at, belongs: 'above' }],
			results: [...body.results, body.results.at(-1) ?? null]
		});
	}
	function removeLimit(i: number) {
		onchange('limit removed', {
			...body,
			limits: body.limits.filter((_, k) => k !== i),
			results: body.results.filter((_, k) => k !== i + 1)
		});
	}
	function setResult(k: number, v: JsonValue) {
		onchange('band', {
			...body,
			results: body.results.map((r, i) => (i === k ? (v === null ? null : [v]) : r))
		});
	}

	/** A step that suits the size of a number: two significant digits. */
	const stepOf = (x: number) =>
		10 ** Math.max(0, Math.floor(Math.log10(Math.max(1, Math.abs(x)))) - 1);
	function between(i: number, x: number): number {
		const lo = i > 0 ? numbers[i - 1] + 1 : -Infinity;
		const hi = i < numbers.length - 1 ? numbers[i + 1] - 1 : Infinity;
		return Math.max(lo, Math.min(hi, x));
	}
	let svg = $state<SVGSVGElement>();
	function drag(e: PointerEvent, i: number) {
		if (disabled || !svg) return;
		const handle = e.currentTarget as SVGElement;
		handle.setPointerCapture(e.pointerId);
		const box = svg.getBoundingClientRect();
		const move = (m: PointerEvent) => {
			const x = scale.invert(clamp(((m.clientX - box.left) / box.width) * (W + 36) - 18));
			const s = dates ? 1 : stepOf(x);
			setLimit(i, textAt(between(i, Math.round(x / s) * s)));
		};
		const end = () => {
			handle.removeEventListener('pointermove', move);
			handle.removeEventListener('pointerup', end);
		};
		handle.addEventListener('pointermove', move);
		handle.addEventListener('pointerup', end);
	}
	function keys(e: KeyboardEvent, i: number) {
		const by = {
			ArrowRight: 1,
			ArrowUp: 1,
			ArrowLeft: -1,
			ArrowDown: -1,
			PageUp: 10,
			PageDown: -10
		}[e.key];
		if (!by || disabled) return;
		e.preventDefault();
		setLimit(i, textAt(between(i, numbers[i] + by)));
	}
	function blankChoice(v: string) {
		if (v === 'unsaid') return onchange('blank', { ...body, blank: null });
		if (v === 'none') return onchange('blank', { ...body, blank: { none: true } });
		onchange('blank', { ...body, blank: { give: [v.slice(5)] } });
	}
	const blankChoices = $derived([
		{ value: 'none', label: `nothing: it ${none}` },
		...(target.list
			? schema.lists
					.get(target.list)!
					.options.filter((o) => !o.retired)
					.map((o) => ({ value: `give:${o.id}`, label: o.label }))
			: []),
		{ value: 'unsaid', label: 'not said yet' }
	]);
	const blankValue = $derived(
		body.blank === null ? 'unsaid' : 'none' in body.blank ? 'none' : `give:${body.blank.give[0]}`
	);
	/** A limit that is no number is kept as typed and said to be one. */
	function limitFault(l: Limit): string | null {
		const r = fromJson(
			{ id: 'l', label: 'The limit', group: '', type: dates ? 'date' : 'number' },
			l.at,
			schema
		);
		return !r.ok ? r.message : r.value === null ? 'The limit is missing.' : null;
	}
</script>

<div class="mt-2">
	<svg
		bind:this={svg}
		viewBox="-18 0 {W + 36} 134"
		class="block w-full touch-none select-none"
		role="group"
		aria-label="Bands of {inputLabel}"
	>
		{#each bars as b, i (i)}
			<rect x={b.x} y={BASE - b.h} width={b.w} height={b.h} fill="var(--color-line)" />
		{/each}
		{#each segments as s (s.k)}
			<g>
				<rect
					x={s.from}
					y={BASE}
					width={Math.max(0, s.to - s.from)}
					height={BAR}
					fill={s.has ? tint(s.k) : 'var(--color-brick-wash)'}
					stroke={s.has ? 'var(--color-brass)' : 'var(--color-brick)'}
					stroke-width="0.75"
					stroke-dasharray={s.has ? undefined : '3 2'}
				/>
				{#if s.to - s.from > 6 * s.label.length + 8}
					<text x={(s.from + s.to) / 2} y={BASE + 17} text-anchor="middle" class="band"
						>{s.label}</text
					>
				{/if}
				{#if counts && s.to - s.from > 22}
					<text x={(s.from + s.to) / 2} y="11" text-anchor="middle" class="count"
						>{sayCount(counts[s.k])}</text
					>
				{/if}
			</g>
		{/each}
		{#each ticks as t (t)}
			<line
				x1={scale(t)}
				x2={scale(t)}
				y1={BASE + BAR}
				y2={BASE + BAR + 5}
				stroke="var(--color-quiet)"
			/>
		{/each}
		{#each ticks as t, i (t)}
			{@const x = scale(t)}
			{#if !numbers.some((n) => Math.abs(scale(n) - x) < (dates ? 74 : 26)) && (i === 0 || x - scale(ticks[i - 1]) > (dates ? 66 : 20) || x > W - 10) && x < W - 14}
				<text {x} y={BASE + BAR + 17} text-anchor="middle" class="tick"
					>{dates ? sayAt(t) : formatCount(t)}</text
				>
			{/if}
		{/each}
		{#if sampleAt !== null}
			<g>
				<path d="M{sampleAt - 5},{BASE - 11}h10l-5,9z" fill="var(--color-teal)" />
				<text
					x={sampleAt + (sampleAt > W - 90 ? -8 : 8)}
					y={BASE - 14}
					text-anchor={sampleAt > W - 90 ? 'end' : 'start'}
					class="sample">sample {sayAt(onScale(String(sample))!)}</text
				>
			</g>
		{/if}
		{#each numbers as n, i (i)}
			{@const x = clamp(scale(n))}
			{@const above = body.limits[i].belongs === 'above'}
			<g
				role="slider"
				tabindex={disabled ? -1 : 0}
				aria-label="Limit between {segments[i].label} and {segments[i + 1].label}"
				aria-valuenow={n}
				aria-valuetext="{sayAt(n)}, which belongs to {segments[above ? i + 1 : i].label}"
				class="handle"
				onpointerdown={(e) => drag(e, i)}
				onkeydown={(e) => keys(e, i)}
			>
				<rect x={x - 12} y={TOP} width="24" height={BASE + BAR - TOP + 22} fill="transparent" />
				<line
					x1={x}
					x2={x}
					y1={TOP + 12}
					y2={BASE + BAR + 4}
					stroke="var(--color-ink)"
					stroke-width="1.75"
				/>
				{#each [[-1, above ? -1 : 0], [1, above ? 0 : 1]] as const as [to, side] (to)}
					{@const is = tried?.(body.limits[i].at, side) ?? null}
					{#if is !== null}
						<rect
							x={x + to * 4 - 1.25}
							y={BASE - 8}
							width="2.5"
							height="8"
							fill={is ? 'var(--color-brass)' : 'none'}
							stroke={is ? 'none' : 'var(--color-ochre)'}
							stroke-width="0.75"
							><title
								>{side === 0 ? 'exactly' : side < 0 ? 'just below' : 'just above'}
								{sayAt(n)}: {is ? 'tried' : 'not tried'}</title
							></rect
						>
					{/if}
				{/each}
				<circle cx={x + (above ? 5.5 : -5.5)} cy={BASE + BAR / 2} r="2.6" fill="var(--color-ink)" />
				<rect
					class="tag"
					x={x - (dates ? 36 : 15)}
					y={BASE + BAR + 5}
					width={dates ? 72 : 30}
					height="17"
					fill="var(--color-sheet)"
					stroke="var(--color-ink)"
				/>
				<text {x} y={BASE + BAR + 17.5} text-anchor="middle" class="limit">{sayAt(n)}</text>
			</g>
		{/each}
	</svg>
	<p class="text-xs text-quiet">
		{dates ? 'Scale of days' : logarithmic ? 'Logarithmic scale' : 'Linear scale'}{cumulative
			? `, above it the ${formatCount(cumulative.total)} records that have a ${inputLabel.toLowerCase()}${counts?.every((c) => c.exact) ? '' : '; ≈ is about: so many values are counted by stretches'}`
			: counting
				? '; the existing records are being counted…'
				: ''}. The dot lies in the band to which a limit itself belongs.
	</p>

	<table class="mt-2 w-full text-sm">
		<thead class="sr-only"
			><tr><th>Band</th><th>Limit</th><th>Result</th><th>Records</th></tr></thead
		>
		<tbody>
			{#each body.results as r, k (k)}
				<tr class="border-t border-hairline">
					<td class="mono w-32 py-1 pr-2 whitespace-nowrap"
						>{#if r}{@render mark?.(String(k))}{/if}{bandText(body.limits, k)}</td
					>
					<td class="w-56 py-1 pr-2">
						{#if k > 0}
							{@const l = body.limits[k - 1]}
							<div class="flex items-center gap-2">
								<label class="text-xs text-quiet" for="{uid}-{k}">from</label>
								<input
									id="{uid}-{k}"
									class="box mono {dates ? 'w-28' : 'w-20'}"
									{disabled}
									inputmode="decimal"
									value={l.at}
									aria-invalid={!!limitFault(l)}
									oninput={(e) => setLimit(k - 1, e.currentTarget.value.replace(/[\s\u202f]/g, ''))}
								/>
								<button
									class="textlink text-xs whitespace-nowrap"
									{disabled}
									onclick={() => flip(k - 1)}
									title="To which band the limit itself belongs"
								>
									{l.belongs === 'above' ? 'and itself' : 'above it'}
								</button>
							</div>
							{#if limitFault(l)}<p class="text-xs text-brick">● {limitFault(l)}</p>{/if}
						{/if}
					</td>
					<td class="py-1 pr-2">
						<ValueInput
							field={target}
							label="{target.label} for {bandText(body.limits, k)}"
							{schema}
							{disabled}
							id="{uid}-r{k}"
							value={r ? r[0] : null}
							onchange={(v) => setResult(k, v)}
						/>
					</td>
					<td class="mono py-1 text-right whitespace-nowrap text-quiet">
						{counts ? sayCount(counts[k]) : ''}
						{#if k > 0 && !disabled}
							<button
								class="textlink ml-2 font-sans text-xs"
								onclick={() => removeLimit(k - 1)}
								aria-label="Remove the limit {body.limits[k - 1].at}">remove</button
							>
						{/if}
					</td>
				</tr>
			{/each}
			<tr class="border-t border-hairline">
				<td class="py-1">{@render mark?.('blank')}blank</td>
				<td class="py-1" colspan="2">
					<Word
						label="What a blank {inputLabel} gives"
						value={blankValue}
						choices={blankChoices}
						{disabled}
						text={blankValue === 'none' ? none : undefined}
						onpick={blankChoice}
					/>
				</td>
				<td class="mono py-1 text-right text-quiet">{spread ? formatCount(spread.blank) : ''}</td>
			</tr>
		</tbody>
	</table>
	{#if !disabled}<button class="textlink mt-1 text-sm" onclick={addLimit}>Add a limit</button>{/if}
</div>

<style>
	text {
		font-size: 11px;
		fill: var(--color-ink);
	}
	.band {
		font-weight: 600;
		font-size: 12px;
	}
	.count,
	.tick {
		fill: var(--color-quiet);
		font-family: var(--font-mono);
	}
	.tick {
		font-size: 10px;
	}
	.limit {
		font-family: var(--font-mono);
		font-weight: 600;
	}
	.sample {
		fill: var(--color-teal);
		font-weight: 600;
		paint-order: stroke;
		stroke: var(--color-sheet);
		stroke-width: 4px;
	}
	.handle {
		cursor: ew-resize;
		outline: none;
	}
	.handle:focus-visible .tag {
		stroke: var(--color-teal);
		stroke-width: 2.5;
	}
	.handle:hover line {
		stroke-width: 2.75;
	}
</style>
