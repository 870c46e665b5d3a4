<script lang="ts">
	/** Fields and rules as a picture: what each field comes from, and where it goes, from left to right. */
	import { curveBumpX, line } from 'd3-shape';
	import { goto } from '$app/navigation';
	import type { FieldRef, FlowRule } from '$core';
	import { MESSAGES, refKey, sheetOf } from '$core';
	import { useWorkbench } from '../work/workbench.svelte';
	import { along, draw, fieldBox, step, type Arrow, type Box, type Drawn } from './layout';

	let {
		rules,
		of,
		home
	}: {
		rules: readonly FlowRule[];
		/** The field it is about; null for all of a record type. */
		of: FieldRef | null;
		/** The record type whose fields are called by their label alone. */
		home: string;
	} = $props();

	const w = useWorkbench();
	let drawn = $state.raw<Drawn | null>(null);
	let failed = $state(false);
	$effect(() => {
		const mine = rules;
		const alone = of ? [fieldBox(of.type, of.field)] : [];
		failed = false;
		draw(mine, alone).then(
			(d) => {
				if (mine === rules) drawn = d;
			},
			() => (failed = true)
		);
	});

	const middle = $derived(of ? fieldBox(of.type, of.field) : null);
	/** The box that has the focus, or the pointer over it. */
	let at = $state<string | null>(null);
	const shown = $derived(at ?? null);
	const lit = $derived(shown && drawn ? along(drawn.arrows, shown) : null);
	/** The one box that Tab leads to. */
	let stop = $state<string | null>(null);
	const tabbed = $derived(
		stop && drawn?.boxes.some((b) => b.id === stop) ? stop : (middle ?? drawn?.boxes[0]?.id ?? null)
	);

	// ---- size -----------------------------------------------------------------------------------

	let pane = $state(0);
	/** Smallest at which text can be read. */
	const SMALLEST = 0.75;
	let scale = $state<number | 'fit'>('fit');
	const zoom = $derived(
		scale === 'fit'
			? Math.min(1, Math.max(SMALLEST, (pane - 4) / Math.max(1, drawn?.width ?? 1)))
			: scale
	);
	function larger(by: number) {
		scale = Math.min(1.6, Math.max(0.4, Math.round((zoom + by) * 10) / 10));
	}

	// ---- words ----------------------------------------------------------------------------------

	const byId = $derived(new Map(rules.map((f) => [f.rule.id, f])));
	const ref = (b: Box): FieldRef => {
		const [type, field] = b.id.slice(6).split('.');
		return { type, field };
	};
	const ruleOf = (b: Box) => byId.get(b.id.slice(b.id.indexOf(' ') + 1));
	const typeLabel = (id: string) => w.schema.types.get(id)?.type.label ?? id;
	const fieldLabel = (r: FieldRef) => w.schema.field(r.type, r.field)?.label ?? r.field;
	function href(b: Box): string {
		if (b.is === 'field') {
			const { type, field } = ref(b);
			return `/write/${type}/${field}`;
		}
		const f = ruleOf(b)!;
		return `/write/${f.rule.type}/${f.does === 'sends' ? MESSAGES : sheetOf(f.rule)}#rule-${f.rule.id}`;
	}
	function name(b: Box): string {
		if (b.is === 'field') {
			const r = ref(b);
			const by = rules.filter((f) =>
				f.writes.some((x) => refKey(x.type, x.field) === refKey(r.type, r.field))
			);
			const to = rules.filter((f) =>
				f.reads.some((x) => refKey(x.type, x.field) === refKey(r.type, r.field))
			);
			return `${fieldLabel(r)}, field of ${typeLabel(r.type)}; ${by.length} rules lead to it, ${to.length} read it`;
		}
		const f = ruleOf(b)!;
		if (b.is === 'message') return `Message of ${f.rule.name}`;
		const reads = f.reads.map(fieldLabel).join(', ') || 'nothing';
		return `${f.rule.name}, rule; reads ${reads}${f.writes.length ? `; ${f.does === 'judges' ? 'about' : 'writes'} ${f.writes.map(fieldLabel).join(', ')}` : ''}`;
	}
	const findings = (f: FlowRule) => w.found.filter((x) => x.rule === f.rule.id);
	const onShort = (r: FieldRef) => w.schema.types.get(r.type)?.type.short.includes(r.field);

	const path = line<{ x: number; y: number }>(
		(p) => p.x,
		(p) => p.y
	).curve(curveBumpX);
	const key = (a: Arrow) => `${a.from} ${a.to}`;

	function keys(e: KeyboardEvent) {
		if (!drawn || !e.key.startsWith('Arrow')) return;
		const next = step(drawn, tabbed ?? '', e.key);
		if (!next) return;
		e.preventDefault();
		stop = next;
		document.getElementById(`box-${next}`)?.focus();
	}
</script>

<div class="flex items-center gap-3 text-sm">
	<ul class="flex flex-wrap gap-x-4 gap-y-1 text-xs text-quiet" aria-label="What the lines mean">
		<li><i class="reads"></i> read</li>
		<li><i class="early"></i> read before the change or as entered</li>
		<li><i class="writes"></i> written</li>
		<li><i class="checks"></i> checked or limited</li>
		<li><b class="form">S</b> on the short form</li>
	</ul>
	<span class="grow"></span>
	<span class="flex items-center gap-1 text-xs whitespace-nowrap text-quiet">
		<button class="button" aria-label="Smaller" onclick={() => larger(-0.1)}>−</button>
		<span class="mono w-12 text-center">{Math.round(zoom * 100)} %</span>
		<button class="button" aria-label="Larger" onclick={() => larger(0.1)}>+</button>
		<button class="button" disabled={scale === 'fit'} onclick={() => (scale = 'fit')}>Fit</button>
	</span>
</div>
<div class="pane mt-2" bind:clientWidth={pane}>
	{#if failed}<p class="p-4 text-brick" role="alert">
			● The picture could not be drawn. Load the page again.
		</p>
	{:else if !drawn}<p class="p-4 text-quiet" role="status">drawing…</p>
	{:else}
		<!-- svelte-ignore a11y_no_noninteractive_element_interactions -->
		<div
			role="group"
			aria-label="Fields and rules; arrow keys lead along the lines, Enter opens"
			style:width="{drawn.width * zoom}px"
			style:height="{drawn.height * zoom}px"
			onkeydown={keys}
		>
			<div
				class="canvas"
				style:transform="scale({zoom})"
				style:width="{drawn.width}px"
				style:height="{drawn.height}px"
			>
				<svg width={drawn.width} height={drawn.height} aria-hidden="true">
					<defs>
						{#each ['writes', 'checks'] as m (m)}
							<marker
								id="tip-{m}"
								viewBox="0 0 8 8"
								refX="7"
								refY="4"
								markerWidth="7"
								markerHeight="7"
								orient="auto"><path d="M0 0 8 4 0 8z" class="tip {m}" /></marker
							>
						{/each}
					</defs>
					{#each drawn.arrows as a (key(a))}
						<path
							d={path(a.points)}
							class="arrow {a.is.replace(' ', '-')}"
							class:dim={lit && !(lit.has(a.from) && lit.has(a.to))}
							marker-end={a.is === 'writes' || a.is === 'sends'
								? 'url(#tip-writes)'
								: a.is === 'checks'
									? 'url(#tip-checks)'
									: undefined}
						/>
					{/each}
				</svg>
				{#each drawn.boxes as b (b.id)}
					{@const f = b.is === 'field' ? null : ruleOf(b)}
					{#if b.is === 'field' || f}
						<a
							id="box-{b.id}"
							class="box-{b.is}"
							class:middle={b.id === middle}
							class:dim={lit && !lit.has(b.id)}
							class:idle={f?.idle}
							href={href(b)}
							aria-label={name(b)}
							tabindex={b.id === tabbed ? 0 : -1}
							style:left="{b.x}px"
							style:top="{b.y}px"
							style:width="{b.w}px"
							style:height="{b.h}px"
							title={b.is === 'field'
								? `${typeLabel(ref(b).type)} › ${fieldLabel(ref(b))}`
								: f!.rule.name}
							onmouseenter={() => (at = b.id)}
							onmouseleave={() => (at = null)}
							onfocus={() => {
								at = b.id;
								stop = b.id;
							}}
							onblur={() => (at = null)}
							onclick={(e) => {
								if (e.metaKey || e.ctrlKey) return;
								e.preventDefault();
								void goto(href(b));
							}}
						>
							{#if b.is === 'field'}
								{@const r = ref(b)}
								<span class="two">
									{#if r.type !== home}<small>{typeLabel(r.type)}</small>{/if}
									<span class="name">{fieldLabel(r)}</span>
								</span>
								{#if onShort(r)}<b class="form">S</b>{/if}
							{:else if b.is === 'message'}<span class="name">a message</span>
							{:else if f}
								<span class="rule-name">{f.rule.name}</span>
								{#if findings(f).length}<span
										class={findings(f).some((x) => x.severity === 'blocking')
											? 'text-brick'
											: 'text-ochre'}
										>{findings(f).some((x) => x.severity === 'blocking') ? '●' : '▲'}</span
									>{/if}
							{/if}
						</a>
					{/if}
				{/each}
			</div>
		</div>
	{/if}
</div>

<style>
	.pane {
		overflow: auto;
		max-height: calc(100dvh - 230px);
		border: 1px solid var(--color-line);
		background: var(--color-panel);
	}
	.canvas {
		position: relative;
		transform-origin: 0 0;
	}
	svg {
		position: absolute;
	}
	.arrow {
		fill: none;
		stroke-width: 1.3;
	}
	.arrow.reads,
	.arrow.reads-early {
		stroke: var(--color-teal);
	}
	.arrow.reads-early {
		stroke-dasharray: 4 3;
	}
	.arrow.writes,
	.arrow.sends {
		stroke: var(--color-brass);
		stroke-width: 2;
	}
	.arrow.checks {
		stroke: var(--color-ochre);
		stroke-dasharray: 1 3;
		stroke-width: 2;
	}
	.tip.writes {
		fill: var(--color-brass);
	}
	.tip.checks {
		fill: var(--color-ochre);
	}
	.arrow.dim {
		opacity: 0.12;
	}
	a {
		position: absolute;
		display: flex;
		align-items: center;
		gap: 6px;
		padding: 0 8px;
		font-size: 12.5px;
		line-height: 1.15;
		color: var(--color-ink);
		text-decoration: none;
		background: var(--color-sheet);
		border: 1px solid var(--color-field-line);
	}
	a.dim {
		opacity: 0.35;
	}
	a.middle {
		background: var(--color-band-1);
		border: 2px solid var(--color-brass);
		font-weight: 650;
	}
	.box-rule,
	.box-message {
		background: var(--color-panel);
		border-color: var(--color-hairline);
		border-left: 3px solid var(--color-brass);
		font-style: italic;
	}
	.box-message {
		border-left-style: double;
	}
	.idle {
		color: var(--color-quiet);
		border-left-style: dashed;
	}
	.two {
		display: flex;
		flex-direction: column;
		min-width: 0;
		flex: 1;
	}
	small {
		font-size: 10.5px;
		color: var(--color-quiet);
	}
	.name {
		overflow: hidden;
		text-overflow: ellipsis;
		white-space: nowrap;
	}
	.rule-name {
		display: -webkit-box;
		-webkit-line-clamp: 2;
		line-clamp: 2;
		-webkit-box-orient: vertical;
		overflow: hidden;
		flex: 1;
	}
	.form {
		border: 1px solid var(--color-field-line);
		padding: 0 3px;
		font-size: 10px;
		font-style: normal;
		color: var(--color-quiet);
	}
	li {
		display: flex;
		align-items: center;
		gap: 6px;
	}
	i {
		width: 22px;
		border-top: 1.5px solid var(--color-teal);
	}
	i.early {
		border-top-style: dashed;
	}
	i.writes {
		border-top: 2.5px solid var(--color-brass);
	}
	i.checks {
		border-top: 2.5px dotted var(--color-ochre);
	}
</style>
