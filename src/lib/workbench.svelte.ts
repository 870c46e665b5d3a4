/**
 * What the pages work on: the draft as one immutable value, what follows from it (plan, findings,
 * trials, the sample's result), undo and redo, and saving in the background.
 */
import { getContext, setContext } from 'svelte';
import type { Checked, Finding, Repair } from '$core/check/findings';
import { PROBE_DAY } from '$core/check/probe';
import { repaired } from '$core/check/repair';
import { changedRules } from '$core/compare/rules';
import type { JsonValue } from '$core/model/codec';
import {
	Schema,
	refKey,
	type Definition,
	type Field,
	type Model,
	type ReferenceTable
} from '$core/model/model';
import type { EntryPoint, Rule, RuleSet } from '$core/model/rules';
import { MESSAGES, claimId } from '$core/model/rules';
import { compilePlan, readFormula, type Plan } from '$core/plan/plan';
import { settle, type Loader, type Settled } from '$core/settle/settle';
import {
	recordsLoader,
	submissionOf,
	valuesFromJson,
	valuesToJson,
	type Trial
} from '$core/trials/trials';
import { zones } from '../runtime/zones';
import { Near } from './near.svelte';
import { Titles } from './titles.svelte';
import type { FindingsAnswer, FindingsJob } from '../workers/findings.worker';
import type { TrialAnswer, TrialJob, TrialOutcome } from '../workers/trials.worker';
import type { LayoutData } from '../routes/(app)/$types';

/** The pinned record beside the sheet, and the change tried on it. */
export interface Sample {
	type: string;
	/** Number of the stored record; null for a new one. */
	id: string | null;
	title: string;
	was: Record<string, JsonValue>;
	links: Record<string, string>;
	/** Fields touched, in order. */
	sent: [field: string, value: JsonValue][];
	entryPoint: EntryPoint;
	/** A new record, or a change of the stored one. */
	created: boolean;
	/** Day of the change, ISO; null for now. */
	day: string | null;
	/** What a finding shows is made up: linked records that exist nowhere else. */
	near?: NonNullable<Trial['near']>;
}

export type Saving = 'saved' | 'saving' | 'waiting' | 'conflict' | 'refused';

const KEY = Symbol('workbench');

/** In the place of a field on the sheet of messages. */
const MESSAGES_FIELD: Field = { id: MESSAGES, label: 'Messages', group: '', type: 'text' };

export class Workbench {
	model = $state.raw<Model>({ types: [], lists: [], zone: 'UTC' });
	draft = $state.raw<RuleSet>({ rules: [], order: {} });
	#definitions = $derived(this.draft.definitions);
	#tables = $derived(this.draft.tables);
	/** The model with the draft's definitions and tables; the same object while these stay. */
	schema = $derived(
		new Schema(this.model, { definitions: this.#definitions, tables: this.#tables })
	);
	force = $state.raw<{ number: number; set: RuleSet }>({
		number: 0,
		set: { rules: [], order: {} }
	});
	trials = $state.raw<Trial[]>([]);
	outcomes = $state.raw<Map<string, TrialOutcome>>(new Map());
	trialsRunning = $state(false);
	rehearsal = $state.raw<LayoutData['rehearsal']>(null);
	/** Hash of the draft as it was loaded; null once it was edited. */
	loadedHash = $state<string | null>(null);
	account: LayoutData['account'];
	sample = $state.raw<Sample | null>(null);
	saving = $state<Saving>('saved');
	trouble = $state<string | null>(null);
	/** What rules read of other records. */
	readonly near = new Near(() => this.schema);
	/** What links are called. */
	readonly titles = new Titles();
	/** A wide editor takes the whole page. */
	wide = $state(false);

	plan: Plan = $derived(compilePlan(this.schema, this.draft));
	/** What the sample runs on: the draft, with a rule that is half written as it last could be read. */
	shown = $derived.by(() => this.#lastReadable());
	/** What the analysis says; while it looks at the last edit, what it said before. */
	checked = $state.raw<Checked>({ findings: [], open: [] });
	checking = $state(true);
	/** Whether it has said anything yet. */
	analysed = $state(false);
	/** It broke off at the last edit; what it said before still stands. */
	analysisFailed = $state(false);
	found: Finding[] = $derived(this.checked.findings);
	changes = $derived(changedRules(this.force.set, this.draft));
	held = $derived(this.trials.filter((t) => this.outcomes.get(t.id)?.held).length);
	/** What the sample reads: stored records, and such as a finding made up. */
	#loader: Loader = $derived(this.#loaderFor(this.sample?.near));
	#settled = $derived.by(() => this.#settleSample());
	/** What the draft makes of the sample. */
	result = $derived(this.#settled?.records[0] ?? null);
	/** Other records that the sample's change runs on to, where something changes. */
	elsewhere = $derived((this.#settled?.records.slice(1) ?? []).filter((r) => r.changes.length));
	canEdit: boolean;

	/** Each rule as it last compiled without a problem. */
	#readable = new Map<string, Rule>();
	#undo = $state.raw<{ set: RuleSet; label: string }[]>([]);
	#redo = $state.raw<{ set: RuleSet; label: string }[]>([]);
	#lastEdit = { label: '', at: 0 };
	#versions: Record<string, number> = {};
	#stored = new Map<string, Rule>();
	#storedOrder: RuleSet['order'] = {};
	#partVersions: Record<string, number> = {};
	#storedParts = new Map<string, Definition | ReferenceTable>();
	#timer: ReturnType<typeof setTimeout> | null = null;
	#flushing: Promise<void> | null = null;
	#worker: Worker | null = null;
	#checker: Worker | null = null;
	#check = 0;
	/** Whether the worker is at it. */
	#looking = false;
	#overruled: LayoutData['overruled'] = {};
	/** Records that the sample read last through links. */
	#read: { type: string; id: string }[] = [];
	/** Whether it asked for other records at all. */
	#looked = false;
	#job = 0;
	#wantsTrials = false;

	constructor(data: LayoutData) {
		this.account = data.account;
		this.canEdit = data.account.role !== 'reader';
		this.load(data);
	}

	/** Takes what the server holds. Edits not saved yet stay. */
	load(data: LayoutData) {
		this.model = data.model;
		this.force = data.inForce;
		this.trials = data.trials;
		this.rehearsal = data.rehearsal;
		this.near.forget();
		if (this.saving !== 'saved' && this.saving !== 'conflict') return;
		this.saving = 'saved';
		this.trouble = null;
		this.draft = data.draft.set;
		this.#overruled = data.overruled;
		if (this.loadedHash !== data.draftHash) this.#analyse();
		this.loadedHash = data.draftHash;
		this.#versions = { ...data.draft.versions };
		this.#stored = new Map(data.draft.set.rules.map((r) => [r.id, r]));
		this.#storedOrder = data.draft.set.order;
		this.#partVersions = { ...data.draft.partVersions };
		this.#storedParts = new Map(partsOf(data.draft.set));
	}

	// ---- editing ----------------------------------------------------------------------------

	get undoLabel() {
		return this.#undo.at(-1)?.label ?? null;
	}
	get redoLabel() {
		return this.#redo.at(-1)?.label ?? null;
	}

	/** Makes an edit. Edits with one label in quick succession are one step of undo. */
	edit(label: string, next: RuleSet) {
		if (!this.canEdit) return;
		const now = Date.now();
		const joins =
			this.#lastEdit.label === label && now - this.#lastEdit.at < 1200 && this.#undo.length > 0;
		if (!joins) this.#undo = [...this.#undo.slice(-199), { set: this.draft, label }];
		this.#redo = [];
		this.#lastEdit = { label, at: now };
		this.#become(next);
	}

	editRule(label: string, id: string, change: (r: Rule) => Rule) {
		const rules = this.draft.rules.map((r) => (r.id === id ? change(r) : r));
		this.edit(`${label} ${id}`, { ...this.draft, rules });
	}

	undo() {
		const last = this.#undo.at(-1);
		if (!last) return;
		this.#undo = this.#undo.slice(0, -1);
		this.#redo = [...this.#redo, { set: this.draft, label: last.label }];
		this.#lastEdit = { label: '', at: 0 };
		this.#become(last.set);
	}

	redo() {
		const last = this.#redo.at(-1);
		if (!last) return;
		this.#redo = this.#redo.slice(0, -1);
		this.#undo = [...this.#undo, { set: this.draft, label: last.label }];
		this.#become(last.set);
	}

	#become(next: RuleSet) {
		this.draft = next;
		this.loadedHash = null;
		this.saving = 'waiting';
		this.#schedule(350);
		this.#analyse();
		if (this.#wantsTrials) this.runTrials();
	}

	#lastReadable(): { plan: Plan; stale: ReadonlySet<string> } {
		const broken = new Set(this.plan.problems.map((p) => p.rule));
		for (const r of this.draft.rules) if (!broken.has(r.id)) this.#readable.set(r.id, r);
		const stale = new Set([...broken].filter((id) => this.#readable.has(id)));
		if (!stale.size) return { plan: this.plan, stale };
		const rules = this.draft.rules.map((r) => (stale.has(r.id) ? this.#readable.get(r.id)! : r));
		return { plan: compilePlan(this.schema, { ...this.draft, rules }), stale };
	}

	rule(id: string): Rule | undefined {
		return this.draft.rules.find((r) => r.id === id);
	}

	/** Rules that write a field, in claim order. */
	rulesOf(type: string, field: string): Rule[] {
		if (field === MESSAGES)
			return this.draft.rules.filter((r) => r.type === type && r.body.kind === 'message');
		const mine = this.draft.rules.filter(
			(r) => r.type === type && r.outputs.some((o) => o.field === field)
		);
		const order = this.draft.order[refKey(type, field)] ?? [];
		const place = (r: Rule) => {
			const i = order.indexOf(claimId(r.id, r.outputs.find((o) => o.field === field)!.id));
			return i < 0 ? order.length : i;
		};
		return mine
			.map((r, i) => ({ r, i, p: place(r) }))
			.sort((a, b) => a.p - b.p || a.i - b.i)
			.map((x) => x.r);
	}

	/** Puts a rule at a zero-based place in the claim order of a field. */
	place(type: string, field: string, rule: string, to: number) {
		if (field === MESSAGES) return;
		const ids = this.rulesOf(type, field).map((r) =>
			claimId(r.id, r.outputs.find((o) => o.field === field)!.id)
		);
		const from = ids.findIndex((id) => id.startsWith(`${rule}:`));
		if (from < 0 || to < 0 || to >= ids.length || from === to) return;
		ids.splice(to, 0, ...ids.splice(from, 1));
		const order = { ...this.draft.order, [refKey(type, field)]: ids };
		this.edit('claim order', { ...this.draft, order });
	}

	/** Puts a definition into the draft, new or changed. */
	setDefinition(label: string, d: Definition) {
		const had = this.draft.definitions ?? [];
		const definitions = had.some((x) => x.id === d.id)
			? had.map((x) => (x.id === d.id ? d : x))
			: [...had, d];
		this.edit(`${label} ${d.id}`, { ...this.draft, definitions });
	}

	/** Puts a reference table into the draft, new or changed. */
	setTable(label: string, t: ReferenceTable) {
		const had = this.draft.tables ?? [];
		const tables = had.some((x) => x.id === t.id)
			? had.map((x) => (x.id === t.id ? t : x))
			: [...had, t];
		this.edit(`${label} ${t.id}`, { ...this.draft, tables });
	}

	removePart(kind: 'definition' | 'table', id: string) {
		this.edit(
			`remove ${id}`,
			kind === 'table'
				? { ...this.draft, tables: (this.draft.tables ?? []).filter((t) => t.id !== id) }
				: { ...this.draft, definitions: (this.draft.definitions ?? []).filter((d) => d.id !== id) }
		);
	}

	/** The address at which a finding is mended; where a record shows it, with that as the sample. */
	placeOf(f: Finding): string {
		if (f.part.kind === 'table') return `/tables/${f.part.id}`;
		if (f.part.kind === 'definition') return `/definitions#definition-${f.part.id}`;
		const shown = f.witness ? `?finding=${encodeURIComponent(f.id)}` : '';
		return `/write/${f.type}/${f.field}${shown}#rule-${f.rule}`;
	}

	addRule(rule: Rule) {
		this.edit(`new rule ${rule.id}`, { ...this.draft, rules: [...this.draft.rules, rule] });
	}

	removeRule(id: string) {
		const order: RuleSet['order'] = {};
		for (const [field, claims] of Object.entries(this.draft.order)) {
			const left = claims.filter((c) => !c.startsWith(`${id}:`));
			// an order of one is none
			if (left.length > 1) order[field] = left.length === claims.length ? claims : left;
		}
		const rules = this.draft.rules.filter((r) => r.id !== id);
		this.edit(`remove ${id}`, { ...this.draft, rules, order });
	}

	/** Puts a rule back as it is in force; one that is not in force is taken out. */
	revertRule(id: string) {
		const before = this.force.set.rules.find((r) => r.id === id);
		if (!before) return this.removeRule(id);
		if (this.rule(id)) this.editRule('as in force', id, () => before);
		else this.edit(`bring back ${id}`, { ...this.draft, rules: [...this.draft.rules, before] });
	}

	repair(r: Repair) {
		this.edit(`repair ${r.label}`, repaired(this.draft, r, this.schema));
	}

	/** Analyses the draft in a worker; called again, the newest run counts. In the browser only. */
	#analyse() {
		if (typeof window === 'undefined') return;
		if (!this.#checker) {
			this.#checker = new Worker(new URL('../workers/findings.worker.ts', import.meta.url), {
				type: 'module'
			});
			this.#checker.onmessage = ({ data }: MessageEvent<FindingsAnswer>) => {
				this.#looking = false;
				// edits made meanwhile are looked at together
				if (data.job !== this.#check) return this.#analyse();
				this.checking = false;
				this.analysisFailed = data.checked === null;
				if (!data.checked) return;
				this.checked = data.checked;
				this.analysed = true;
			};
		}
		this.checking = true;
		this.#check++;
		if (this.#looking) return;
		this.#looking = true;
		const job: FindingsJob = {
			job: this.#check,
			model: this.model,
			set: this.draft,
			overruled: this.#overruled
		};
		this.#checker.postMessage(job);
	}

	// ---- saving -----------------------------------------------------------------------------

	#schedule(ms: number) {
		if (this.#timer) clearTimeout(this.#timer);
		this.#timer = setTimeout(() => void this.flush(), ms);
	}

	/** Stores what was edited; resolves when the server has it or has said why not. */
	async flush(): Promise<void> {
		if (this.#timer) clearTimeout(this.#timer);
		this.#timer = null;
		while (this.#flushing) await this.#flushing;
		if (this.saving !== 'waiting') return;
		this.#flushing = this.#store();
		await this.#flushing;
		this.#flushing = null;
	}

	async #store() {
		this.saving = 'saving';
		const target = this.draft;
		const send = (url: string, method: string, body?: unknown) =>
			fetch(url, {
				method,
				headers: { 'content-type': 'application/json', accept: 'application/json' },
				...(body === undefined ? {} : { body: JSON.stringify(body) })
			});
		try {
			for (const rule of target.rules) {
				if (this.#stored.get(rule.id) === rule) continue;
				const r = await send(`/draft/rules/${rule.id}`, 'PUT', {
					rule,
					version: this.#versions[rule.id] ?? 0
				});
				const answer = (await r.json()) as { version?: number; message?: string };
				if (!r.ok) return this.#refused(r.status, answer.message);
				this.#stored.set(rule.id, rule);
				this.#versions[rule.id] = answer.version!;
			}
			const parts = new Map(partsOf(target));
			for (const [key, part] of parts) {
				if (this.#storedParts.get(key) === part) continue;
				const version = this.#partVersions[key] ?? 0;
				const r = await send(`/draft/parts/${key.replace(':', '/')}`, 'PUT', { part, version });
				const answer = (await r.json()) as { version?: number; message?: string };
				if (!r.ok) return this.#refused(r.status, answer.message);
				this.#storedParts.set(key, part);
				this.#partVersions[key] = answer.version!;
			}
			for (const key of [...this.#storedParts.keys()]) {
				if (parts.has(key)) continue;
				const r = await send(
					`/draft/parts/${key.replace(':', '/')}?version=${this.#partVersions[key]}`,
					'DELETE'
				);
				if (!r.ok)
					return this.#refused(r.status, ((await r.json()) as { message?: string }).message);
				this.#storedParts.delete(key);
				delete this.#partVersions[key];
			}
			for (const id of [...this.#stored.keys()]) {
				if (target.rules.some((r) => r.id === id)) continue;
				const r = await send(`/draft/rules/${id}?version=${this.#versions[id]}`, 'DELETE');
				if (!r.ok)
					return this.#refused(r.status, ((await r.json()) as { message?: string }).message);
				this.#stored.delete(id);
				delete this.#versions[id];
			}
			for (const [field, claims] of Object.entries(target.order)) {
				if (this.#storedOrder[field] === claims) continue;
				const r = await send('/draft/order', 'PUT', { field, claims });
				if (!r.ok)
					return this.#refused(r.status, ((await r.json()) as { message?: string }).message);
			}
			for (const field of Object.keys(this.#storedOrder))
				if (!(field in target.order)) await send('/draft/order', 'PUT', { field, claims: [] });
			this.#storedOrder = target.order;
		} catch {
			// the network is gone: the edits stay here and are sent again
			this.saving = 'waiting';
			this.trouble = 'The server cannot be reached. Your edits are kept here and sent again.';
			this.#schedule(3000);
			return;
		}
		this.trouble = null;
		if (this.draft === target) this.saving = 'saved';
		else {
			this.saving = 'waiting';
			this.#schedule(50);
		}
	}

	#refused(status: number, message = 'The server refused this edit.') {
		this.saving = status === 409 ? 'conflict' : 'refused';
		this.trouble = message;
	}

	// ---- trials -----------------------------------------------------------------------------

	/** Runs all trials in the worker; called again, the newest run counts. In the browser only. */
	runTrials() {
		this.#wantsTrials = true;
		if (!this.#worker) {
			this.#worker = new Worker(new URL('../workers/trials.worker.ts', import.meta.url), {
				type: 'module'
			});
			this.#worker.onmessage = ({ data }: MessageEvent<TrialAnswer>) => {
				if (data.job !== this.#job) return;
				this.outcomes = new Map(data.results.map((r) => [r.trial, r]));
				this.trialsRunning = false;
			};
		}
		this.trialsRunning = true;
		const job: TrialJob = {
			job: ++this.#job,
			model: this.model,
			set: this.draft,
			trials: this.trials
		};
		this.#worker.postMessage(job);
	}

	stop() {
		this.#worker?.terminate();
		this.#worker = null;
		this.#checker?.terminate();
		this.#checker = null;
	}

	async keepTrial(trial: Trial): Promise<string | null> {
		const r = await fetch(`/trials/${trial.id}`, {
			method: 'PUT',
			headers: { 'content-type': 'application/json' },
			body: JSON.stringify(trial)
		});
		if (!r.ok) return ((await r.json()) as { message: string }).message;
		const had = this.trials.some((t) => t.id === trial.id);
		this.trials = had
			? this.trials.map((t) => (t.id === trial.id ? trial : t))
			: [...this.trials, trial];
		this.runTrials();
		return null;
	}

	async dropTrial(id: string) {
		const r = await fetch(`/trials/${id}`, { method: 'DELETE' });
		if (!r.ok) return;
		this.trials = this.trials.filter((t) => t.id !== id);
		this.runTrials();
	}

	// ---- the sample -------------------------------------------------------------------------

	touch(field: string, value: JsonValue) {
		const s = this.sample;
		if (!s) return;
		const sent = s.sent.filter(([f]) => f !== field);
		const stored = s.created ? null : (s.was[field] ?? null);
		// back to what is stored is no change: A → B → A
		const same = JSON.stringify(stored) === JSON.stringify(value);
		this.sample = { ...s, sent: same ? sent : [...sent, [field, value]] };
	}

	instant(): string {
		const s = this.sample;
		return s?.day ? `${s.day}T09:00:00.000Z` : new Date().toISOString();
	}

	#settleSample(): Settled | null {
		const s = this.sample;
		if (!s || !this.schema.types.has(s.type)) return null;
		return this.settleSample(s, s.sent, false);
	}

	/** What the draft makes of a change to the sample; `alone` without the records it runs on to. */
	settleSample(s: Sample, sent: Sample['sent'], alone = true): Settled | null {
		try {
			const record = submissionOf(this.schema, {
				type: s.type,
				was: s.created ? null : s.was,
				sent,
				...(s.created || !s.id ? {} : { record: s.id })
			});
			const change = {
				records: [record],
				entryPoint: s.entryPoint,
				instant: Date.parse(s.day ? `${s.day}T09:00:00.000Z` : new Date().toISOString()),
				person: this.account.person
			};
			void this.near.version;
			const settled = settle(this.shown.plan, change, this.#loader, {
				explain: true,
				states: true,
				alone,
				most: 200,
				zones
			});
			if (settled.needs.length) queueMicrotask(() => this.near.want(settled.needs));
			this.#read = [...settled.read, ...settled.found];
			this.#looked = this.near.version > 0;
			return settled;
		} catch {
			// the sample holds a value the model no longer knows
			return null;
		}
	}

	/** Made-up records stand for themselves; nothing else matches, and the rest is what is stored. */
	#loaderFor(near: Sample['near']): Loader {
		if (!near) return this.near.loader;
		const made = recordsLoader(
			this.schema,
			near.map((r) => ({ ...r, values: valuesFromJson(this.schema, r.type, r.values) }))
		);
		const own = (type: string, id: string) => near.some((r) => r.type === type && r.id === id);
		return {
			record: (type, id) =>
				own(type, id) ? made.record(type, id) : this.near.loader.record(type, id),
			related: (type, field, id) => {
				const target = this.schema.field(type, field)!.target!;
				return own(target, id)
					? made.related(type, field, id)
					: this.near.loader.related(type, field, id);
			},
			matching: made.matching
		};
	}

	/** Pins the record that a finding shows as the sample. */
	showFinding(f: Finding) {
		const { type } = this.schema.type(f.type);
		const near = f.near ?? [];
		this.titles.learn(
			Object.fromEntries(
				near.map((r) => {
					const t = this.schema.type(r.type).type;
					const name = r.values[t.title];
					return [refKey(r.type, r.id), String(name ?? `a ${t.label.toLowerCase()} made up`)];
				})
			)
		);
		this.sample = {
			type: f.type,
			id: null,
			title: `A ${type.label.toLowerCase()} that shows it`,
			was: f.was ?? {},
			links: {},
			sent: Object.entries(f.witness ?? {}),
			entryPoint: f.entryPoint ?? 'full',
			created: !f.was,
			day: PROBE_DAY,
			near
		};
	}

	/** The linked records that the sample reads, as a trial keeps them. */
	nearSample(): Trial['near'] {
		if (this.sample?.near?.length) return this.sample.near;
		if (!this.#looked) return undefined;
		return this.#read.flatMap(({ type, id }) => {
			const values = this.near.loader.record(type, id);
			return values ? [{ type, id, values: valuesToJson(this.schema, type, values) }] : [];
		});
	}

	/** A field, or what stands in its place for the rules that send messages. */
	field(type: string, id: string): Field | undefined {
		return id === MESSAGES ? MESSAGES_FIELD : this.schema.field(type, id);
	}

	/** The text of a rule's guard, or null. */
	guardText(rule: Rule): string | null {
		return rule.guard && readFormula(rule.guard, { schema: this.schema, type: rule.type }).text;
	}
}

/** Definitions and tables by the key under which they are stored. */
function partsOf(set: RuleSet): [key: string, part: Definition | ReferenceTable][] {
	return [
		...(set.definitions ?? []).map((d): [string, Definition] => [`definition:${d.id}`, d]),
		...(set.tables ?? []).map((t): [string, ReferenceTable] => [`table:${t.id}`, t])
	];
}

export const provideWorkbench = (w: Workbench) => setContext(KEY, w);
export const useWorkbench = () => getContext<Workbench>(KEY);
