/**
 * What the pages work on: the draft as one immutable value, what follows from it (plan, findings,
 * trials, the sample's result), undo and redo, and saving in the background.
 */
import { getContext, setContext } from 'svelte';
import type {
	Begins,
	Definition,
	Field,
	Finding,
	JsonValue,
	Loader,
	Model,
	ModelFault,
	Need,
	Output,
	Overruled,
	Plan,
	LivingRows,
	PilotChoice,
	ReferenceTable,
	Repair,
	Rule,
	RuleSet,
	SayValue,
	Settled,
	Trial
} from '$core';
import {
	MESSAGES,
	PROBE_DAY,
	Schema,
	canonicalJson,
	changedRules,
	claimId,
	compilePlan,
	copiedTo,
	duplicated,
	freeName,
	isAccepted,
	lossesBetween,
	mayBeAccepted,
	modelEditBetween,
	modelPartName,
	newModelFaults,
	partName,
	recordsLoader,
	refKey,
	repaired,
	settle,
	sheetOf,
	standsIn,
	stopsRelease,
	submissionOf,
	tablesWithRows,
	toJson,
	valuesFromJson,
	valuesToJson,
	withRows
} from '$core';
import { rehearsedAs } from '../../door/gate';
import { may, type Right, type Role } from '../../door/rights';
import { zones } from '../../runtime/zones';
import { formatValue } from '../words/format';
import { Refused, ask } from './http';
import { OutOfLine } from './line.svelte';
import { Near } from './near.svelte';
import { Titles } from './titles.svelte';
import type { RehearsalHead } from '../../server/db/rehearsals';
import type { Remark } from '../../server/db/remarks';
import { Analysis } from './analysis.svelte';
import { Conflicts } from './conflicts.svelte';
import { Covering } from './cover.svelte';
import { History, type Stepped } from './history.svelte';
import { KeptSamples } from './kept.svelte';
import { Others } from './others.svelte';
import { Saver, type Step } from './saving.svelte';
import type { Sample } from './sample';
import type { Touched } from './touch';
import { touch } from './touch';
import { Trials } from './trials.svelte';

/** What the pages begin with, as the server sends it. */
export interface WorkData {
	account: { id: string; name: string; email: string; role: Role; person: string | null };
	model: Model;
	draft: { set: RuleSet; authors: Record<string, string> };
	draftHash: string;
	/** Of the draft; every step that is stored has the next. */
	revision: number;
	overruled: Record<string, Overruled>;
	inForce: { number: number; set: RuleSet };
	/** A release that decides some records first, and which. */
	pilot: { id: string; release: number; version: number; set: RuleSet; choice: PilotChoice } | null;
	/**
	 * The rows of living tables as they stand after an edit, by its number; `away` are tables whose rows are not there yet, while
	 * the page comes from the server.
	 */
	living: { number: number; rows: LivingRows; away: readonly string[] };
	/** How many trials there are, and the mark of what they are; they come by themselves. */
	trials: { count: number; mark: string };
	/** The newest of the draft, on all records and on the changes of a period. */
	rehearsal: RehearsalHead | null;
	replay: RehearsalHead | null;
	/** The open ones, and those that were settled last. */
	remarks: readonly Remark[];
}

export type { Sample };

/** Steps that can be taken back and done again, with what they are called. */
export interface Steps {
	readonly undoLabel: string | null;
	readonly redoLabel: string | null;
	undo(): string | null;
	redo(): string | null;
}

const KEY = Symbol('workbench');

/** In the place of a field on the sheet of messages. */
const MESSAGES_FIELD: Field = { id: MESSAGES, label: 'Messages', group: '', type: 'text' };

export const NO_RULES: RuleSet = { rules: [], order: {} };

export class Workbench {
	model = $state.raw<Model>({ types: [], lists: [], zone: 'UTC' });
	draft = $state.raw<RuleSet>(NO_RULES);
	#definitions = $derived(this.draft.definitions);
	living = $state.raw<WorkData['living']>({ number: 0, rows: {}, away: [] });
	#stored = $derived(this.draft.tables);
	#tables = $derived(this.#stored && tablesWithRows(this.#stored, this.living.rows));
	/** The draft with the rows of its living tables as they stand: what decides values. */
	whole: RuleSet = $derived(
		this.#tables === this.draft.tables ? this.draft : { ...this.draft, tables: this.#tables! }
	);
	/** The model with the draft's definitions and tables; the same object while these stay. */
	schema = $derived(
		new Schema(this.model, { definitions: this.#definitions, tables: this.#tables })
	);
	force = $state.raw<{ number: number; set: RuleSet }>({ number: 0, set: NO_RULES });
	/** A release that decides some records first. */
	pilot = $state.raw<WorkData['pilot']>(null);
	/** What is in force, with the rows of living tables. */
	wholeForce: RuleSet = $derived(withRows(this.force.set, this.living.rows));
	rehearsal = $state.raw<WorkData['rehearsal']>(null);
	replay = $state.raw<WorkData['replay']>(null);
	remarks = $state.raw<WorkData['remarks']>([]);
	/** Hash of the draft as it was loaded; null once it was edited. */
	loadedHash = $state<string | null>(null);
	/** What that says of the draft as it stands, against what is in force. */
	readonly rehearsed = $derived(
		rehearsedAs(this.rehearsal, this.replay, this.loadedHash, this.force.number)
	);
	/** Blocking findings that nobody accepted and that the release in force has too, by identity: nothing touched them. */
	readonly inherited: ReadonlySet<string> = $derived.by(() => {
		const blocking = this.analysis.found.filter(stopsRelease);
		if (!this.force.number || !blocking.length) return new Set<string>();
		const schema = new Schema(this.model);
		const [now, then] = [this.whole, this.wholeForce].map((set) => ({
			set,
			schema: schema.with(set)
		}));
		return new Set(blocking.filter((f) => standsIn(f, now, then)).map((f) => f.id));
	});
	account: WorkData['account'];
	sample = $state.raw<Sample | null>(null);
	/** Who stored each part of the draft last, as it was loaded. */
	#authors: Record<string, string> = {};
	/** The revision of the draft that this page knows. */
	revision = $state(0);
	/** Where somebody else was first, with what was written here. */
	readonly conflicts = new Conflicts(
		() => this.draft,
		(label, set) => this.edit(label, set)
	);
	readonly saver = new Saver(
		() => this.draft,
		(step) => this.#stepped(step),
		() => void this.reload()
	);
	readonly history = new History();
	/** Others at the same draft. */
	readonly others = new Others(
		(revision) => this.#heard(revision),
		() => void this.reload(),
		(number) => this.#heardRows(number),
		() => this.canEdit
	);
	readonly analysis = new Analysis(() => ({
		model: this.model,
		set: this.whole,
		overruled: this.#overruled,
		trials: this.trials.known ? this.trials.all : null
	}));
	readonly trials = new Trials(
		() => ({ model: this.model, set: this.whole, plan: this.plan }),
		(step) => {
			if (step) this.#stepped(step);
			this.analysis.look();
			this.covering.edited();
		}
	);
	/** What the trials try, and how strong they are. */
	readonly covering: Covering = new Covering(() => ({
		model: this.model,
		set: this.whole,
		trials: this.trials.known ? this.trials.all : null
	}));
	/** What a step back or forth, or loading, could not keep, and why; until the next edit. */
	notice = $state<string | null>(null);
	/** What rules read of other records. */
	readonly near = new Near(() => this.schema);
	readonly line = new OutOfLine();
	/** What links are called. */
	readonly titles = new Titles();
	/** Samples kept beside the pinned one. */
	readonly kept: KeptSamples;
	/** The rule that was just added, and what is said first of it; until its card is there. */
	begun: { rule: string; first: Begins } | null = null;
	/** Asks the server for everything once more; the frame around the pages knows how. */
	reload: () => Promise<void> = () => Promise.resolve();
	/** Edits of the model that the server was asked for and has not answered. */
	#asking = $state(0);
	#asked: Promise<unknown> = Promise.resolve();
	/** A wide editor takes the whole page. */
	wide = $state(false);

	plan: Plan = $derived.by(() => compilePlan(this.schema, this.here ? this.whole : NO_RULES));
	/** What the sample runs on: the draft, with a rule that is half written as it last could be read. */
	shown = $derived.by(() => this.#lastReadable());
	/** What was found and nobody has accepted, or no longer. */
	found: Finding[] = $derived(this.analysis.found.filter((f) => !isAccepted(f)));
	/** What was found and is accepted. */
	accepted: Finding[] = $derived(this.analysis.found.filter(isAccepted));
	changes = $derived(changedRules(this.force.set, this.draft));
	/** What the sample reads: stored records, and such as a finding made up. */
	#loader: Loader = $derived(this.#loaderFor(this.sample?.near));
	#settled = $derived.by(() => this.#settleSample());
	/** What the draft makes of the sample. */
	result = $derived(this.#settled?.records[0] ?? null);
	/** Other records that the sample's change runs on to, where something changes. */
	elsewhere = $derived((this.#settled?.records.slice(1) ?? []).filter((r) => r.changes.length));
	/** How many more records it runs on to than a sample looks at. */
	putOff = $derived(this.#settled?.deferred.length ?? 0);
	canEdit: boolean;

	/** Each rule as it last compiled without a problem. */
	#readable = new Map<string, Rule>();
	#overruled: WorkData['overruled'] = {};
	/** Records that the sample read last through links. */
	#read: { type: string; id: string }[] = [];
	/** Whether it asked for other records at all. */
	#looked = false;

	/** @param here whether it is worked on here: where a page is only rendered, no rule is compiled, so that no draft makes it slow */
	constructor(
		data: WorkData,
		readonly here = true
	) {
		this.account = data.account;
		this.kept = new KeptSamples(`samples.${data.account.id}`);
		this.canEdit = this.may('write');
		this.draft = data.draft.set;
		this.saver.begin(this.draft);
		this.load(data);
	}

	/** Whether whoever is signed in has a right. */
	may(right: Right): boolean {
		return may(this.account.role, right);
	}

	/** The revision of the last step that this page stored. */
	#own = 0;
	/** A step of this page was stored. Where others had stored some before it, theirs are loaded. */
	#stepped({ revision, was }: Step) {
		const missed = was > this.revision;
		this.#own = revision;
		this.revision = Math.max(this.revision, missed ? this.revision : revision);
		if (missed) void this.reload();
	}

	#hearing: ReturnType<typeof setTimeout> | null = null;
	/** The newest step that was told of since the page last caught up. */
	#told = 0;
	/** Somebody stored a step, perhaps this page: its own answer comes in a moment. */
	#heard(revision: number) {
		this.#told = Math.max(this.#told, revision);
		if (this.#told <= this.revision || this.#hearing) return;
		this.#hearing = setTimeout(() => {
			this.#hearing = null;
			// while a step of this page is under way it is not known whose it is
			if (this.saver.state === 'saving') return this.#heard(this.#told);
			const told = this.#told;
			// what was told is asked for once: a server put back to earlier never comes to it
			this.#told = 0;
			if (told > this.revision) void this.reload();
		}, 400);
	}

	/** The last edit of living tables that was told of, and how often in a row what was loaded was from before it. */
	#rowsTold = 0;
	#rowsOlder = 0;
	#heardRows(number: number) {
		this.#rowsTold = number;
		if (number !== this.living.number) void this.reload();
	}

	/** How often in a row what was loaded was older than what is known here. */
	#older = 0;
	/** As often it is asked for anew; then the server, which may have been put back to earlier, is right. */
	static readonly #OLDER_AT_MOST = 5;

	/** Takes what the server holds. Edits not saved yet stay. */
	load(data: WorkData) {
		// read before a step that was stored meanwhile: taken now, it would take that step off the page
		const known = Math.max(this.revision, this.#own);
		if (data.revision < known && this.#older++ < Workbench.#OLDER_AT_MOST) {
			void this.reload();
			return;
		}
		this.#older = 0;
		this.#own = Math.min(this.#own, data.revision);
		// a release ends what can be taken back: what is in force is not undone by a key
		if (this.force.number !== data.inForce.number) this.history.clear();
		if (data.revision !== this.revision) this.history.close();
		// while a step is under way the draft here stays; its answer tells whether others were before it
		if (this.saver.state !== 'saving') this.revision = data.revision;
		// the same model stays the very same object, so that nothing is compiled again
		const same = canonicalJson(this.model) === canonicalJson(data.model);
		if (!same && !this.#asking) this.model = data.model;
		this.force = data.inForce;
		if (this.pilot?.id !== data.pilot?.id || this.pilot?.version !== data.pilot?.version)
			this.pilot = data.pilot;
		const edited = this.living.number !== data.living.number;
		if (edited) this.living = data.living;
		// read before an edit that was told of meanwhile
		if (this.living.number >= this.#rowsTold) this.#rowsOlder = 0;
		else if (this.#rowsOlder++ < Workbench.#OLDER_AT_MOST) void this.reload();
		this.trials.take(data.trials);
		this.rehearsal = data.rehearsal;
		this.replay = data.replay;
		this.remarks = data.remarks;
		this.#overruled = data.overruled;
		this.#authors = data.draft.authors;
		this.near.forget();
		const before = this.draft;
		const { set, lost } = this.saver.loaded(data.draft.set);
		this.draft = set;
		if (lost.length) this.conflicts.keep(lost, before, this.#authors);
		if (edited) {
			this.trials.edited();
			this.covering.edited();
		}
		if (this.saver.state !== 'saved') return;
		if (edited || this.loadedHash !== data.draftHash || this.draft !== before) this.analysis.look();
		this.loadedHash = data.draftHash;
	}

	// ---- editing ----------------------------------------------------------------------------

	/** Makes an edit. Edits with one label in quick succession are one step of undo. */
	edit(label: string, next: RuleSet) {
		if (!this.canEdit) return;
		this.history.note(label, this.draft, next);
		this.#become(next);
	}

	editRule(label: string, id: string, change: (r: Rule) => Rule) {
		const rules = this.draft.rules.map((r) => (r.id === id ? change(r) : r));
		this.edit(`${label} ${id}`, { ...this.draft, rules });
	}

	/** Takes note of a step that the server carried out on the whole draft, so that it can be taken back. */
	stepped(label: string, before: RuleSet) {
		this.history.close();
		this.history.note(label, before, this.draft);
		this.history.close();
	}

	/** What the open page takes back first, before steps of the draft. */
	instead = $state.raw<Steps | null>(null);

	/** Takes the last step back. @returns what was done, in words; null when nothing was */
	undo(): string | null {
		if (this.instead?.undoLabel) return this.instead.undo();
		return this.#step(this.history.undo({ set: this.draft, model: this.model }), 'Undone');
	}

	redo(): string | null {
		if (this.instead?.redoLabel) return this.instead.redo();
		return this.#step(this.history.redo({ set: this.draft, model: this.model }), 'Done again');
	}

	#step(step: Stepped | null, what: string): string | null {
		if (!step) return null;
		if (step.of === 'model') return this.#stepModel(step, what);
		const [first] = step.pieces;
		if (!step.refused.length) {
			const name = first && partName(first.after === undefined ? this.draft : step.set, first.path);
			this.#become(step.set);
			const [, id] = first?.path ?? [];
			return `${what}: ${step.label.replace(id ?? '', '').trim()}${name ? `, ${name}` : ''}`;
		}
		const [piece] = step.refused;
		const by = this.#authors[piece.path.slice(0, 2).join('.')];
		this.notice = `${by ?? 'Somebody else'} changed ${partName(this.draft, piece.path)} since; that step was left as it is.`;
		return null;
	}

	#stepModel(step: Stepped, what: string): string | null {
		const [piece] = [...step.refused, ...step.pieces];
		const gone = piece.after === undefined;
		const name = modelPartName(gone ? this.model : step.model, piece.path);
		if (step.refused.length) {
			this.notice = `Somebody else changed ${name} since; that step was left as it is.`;
			return null;
		}
		void this.#sendModel(step.model).then((faults) => {
			if (!faults.length) return;
			this.notice = `That step was left as it is: ${faults[0].message}`;
		});
		return `${what}: ${step.label}, ${name}`;
	}

	/** Whether everything that was edited is stored. */
	get stored(): boolean {
		return this.saver.state === 'saved' && !this.#asking;
	}

	// ---- the model: live, so the server is asked at once ------------------------------------

	/**
	 * Makes an edit of the model, which is live at once. It is a step of undo where nothing that records
	 * hold is taken away.
	 * @param lost how many values somebody saw that will be lost
	 * @returns what stands against it, each at its place; empty when it was stored
	 */
	async editModel(label: string, next: Model, lost = 0): Promise<readonly ModelFault[]> {
		if (!this.canEdit || next === this.model) return [];
		const before = this.model;
		const faults = newModelFaults(before, next);
		if (faults.length) return faults;
		// noted before the answer: whoever takes it back at once means this step and no other
		const forget = lossesBetween(before, next).length
			? () => undefined
			: this.history.noteModel(label, before, next);
		const against = await this.#sendModel(next, lost);
		if (against.length) forget();
		return against;
	}

	async #sendModel(next: Model, lost?: number): Promise<readonly ModelFault[]> {
		const before = this.model;
		const { pieces } = modelEditBetween('', before, next);
		if (!pieces.length) return [];
		// what takes nothing away is shown at once; the rest when it is done
		if (!lossesBetween(before, next).length) this.model = next;
		this.#asking++;
		const earlier = this.#asked;
		const asked = (async () => {
			await earlier;
			this.#stepped(
				await ask<Step>('/draft/model', { method: 'PATCH', body: { pieces, lost }, lasting: true })
			);
		})();
		this.#asked = asked.catch(() => undefined);
		let faults: readonly ModelFault[] = [];
		try {
			await asked;
		} catch (e) {
			if (!(e instanceof Refused)) throw e;
			faults = (e.answer.faults as ModelFault[] | undefined) ?? [{ path: [], message: e.message }];
		}
		this.#asking--;
		if (!this.#asking) await this.reload();
		return faults;
	}

	// ---- editing the draft ------------------------------------------------------------------

	#become(next: RuleSet) {
		this.draft = next;
		this.notice = null;
		this.loadedHash = null;
		this.saver.edited();
		this.analysis.look();
		this.trials.edited();
		this.covering.edited();
	}

	#lastReadable(): { plan: Plan; stale: ReadonlySet<string> } {
		const broken = new Set(this.plan.problems.map((p) => p.rule));
		for (const r of this.draft.rules) if (!broken.has(r.id)) this.#readable.set(r.id, r);
		const stale = new Set([...broken].filter((id) => this.#readable.has(id)));
		if (!stale.size) return { plan: this.plan, stale };
		const rules = this.draft.rules.map((r) => (stale.has(r.id) ? this.#readable.get(r.id)! : r));
		return { plan: compilePlan(this.schema, { ...this.whole, rules }), stale };
	}

	rule(id: string): Rule | undefined {
		return this.draft.rules.find((r) => r.id === id);
	}

	/** Rules that write a field, in claim order. */
	rulesOf(type: string, field: string): Rule[] {
		if (field === MESSAGES)
			return this.draft.rules.filter((r) => r.type === type && sheetOf(r) === MESSAGES);
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

	/** Options of a field that are open to choice. */
	openOptions(type: string, field: string) {
		const f = this.schema.field(type, field);
		return (f?.list ? this.schema.lists.get(f.list)!.options : []).filter((o) => !o.retired);
	}

	/** What a field of the sample holds when it is settled; null for none, or none asked for. */
	sampleValue(type: string, field: string | null): JsonValue {
		const i = field === null ? undefined : this.schema.type(type).at.get(field);
		return i === undefined || !this.result ? null : toJson(this.result.values[i]);
	}

	/** The same as people read it; empty for blank. */
	sampleText(type: string, field: string): string {
		const f = this.schema.field(type, field);
		if (!f || this.sample?.type !== type) return '';
		return formatValue(f, this.sampleValue(type, field), this.schema, this.titles.all);
	}

	/** What an output gives for the sample, as people read it; empty when it gives nothing. */
	given(rule: Rule, output: Output): string {
		const id = claimId(rule.id, output.id);
		const value = this.result?.reports.find((r) => r.claim === id)?.value ?? null;
		const field = this.schema.field(rule.type, output.field);
		if (value === null || !field) return '';
		return formatValue(field, toJson(value), this.schema, this.titles.all);
	}

	/** What a rule gives an output for a record entered anew with some values, in words. */
	givenFor(rule: Rule, output: Output, values: Record<string, JsonValue>): string | null {
		const sample: Sample = {
			type: rule.type,
			id: null,
			title: '',
			was: {},
			links: {},
			sent: [],
			entryPoint: 'full',
			created: true,
			day: null
		};
		const sent = Object.entries(values).filter(([, v]) => v !== null);
		const rec = this.settleSample(sample, sent)?.records[0];
		const report = rec?.reports.find((r) => r.claim === claimId(rule.id, output.id));
		const field = this.schema.field(rule.type, output.field);
		if (!report || !field) return null;
		const value = report.value ?? null;
		return value === null ? '' : formatValue(field, toJson(value), this.schema, this.titles.all);
	}

	/** What was found at the sheet of a field, by any of the rules it is about. */
	foundAt(type: string, field: string): Finding[] {
		return this.found.filter(
			(f) =>
				(f.type === type && f.field === field) ||
				f.others?.some((id) => {
					const rule = this.rule(id);
					return rule?.type === type && sheetOf(rule) === field;
				})
		);
	}

	/** The address at which a finding is mended; where a record shows it, with that as the sample. */
	placeOf(f: Finding): string {
		if (f.part.kind === 'table')
			return `/tables/${f.part.id}${f.part.row === undefined ? '' : `?row=${f.part.row + 1}`}`;
		if (f.part.kind === 'definition') return `/definitions#definition-${f.part.id}`;
		if (f.part.kind === 'trial') return `/try#${f.part.id}`;
		if (f.part.kind === 'type') return `/model/${f.part.id}`;
		return this.shownAt(f);
	}

	/** Whether this person may accept a finding: authors advice, what blocks who has the right. */
	mayAccept(f: Finding): boolean {
		return mayBeAccepted(f) && (f.severity === 'advisory' ? this.canEdit : this.may('accept'));
	}

	/** What a finding is about, by its name. */
	nameOf({ part, rule }: Finding): string {
		switch (part.kind) {
			case 'rule':
				return this.rule(rule)?.name ?? rule;
			case 'table':
				return this.draft.tables?.find((t) => t.id === part.id)?.label ?? part.id;
			case 'definition':
				return this.draft.definitions?.find((d) => d.id === part.id)?.name ?? part.id;
			case 'trial':
				return this.trials.all.find((t) => t.id === part.id)?.name ?? part.id;
			case 'type':
				return this.schema.types.get(part.id)?.type.label ?? part.id;
		}
	}

	/** The rule that a finding is about or that shows it, with its record. */
	shownAt(f: Finding): string {
		const shown = f.witness ? `?finding=${encodeURIComponent(f.id)}` : '';
		return `/write/${f.type}/${f.field}${shown}#rule-${f.rule}`;
	}

	/** Puts a rule into the draft once more, behind itself; gives the identity of the new one. */
	duplicateRule(id: string): string {
		const as = `r_${crypto.randomUUID().slice(0, 8)}`;
		this.edit(`duplicate ${id}`, duplicated(this.draft, id, as));
		return as;
	}

	/**
	 * Names a rule after what it starts from, in the habit of the trade: the field, then by what. A name
	 * that somebody gave stays.
	 */
	nameAfter(id: string, source: string) {
		const rule = this.rule(id);
		const label = rule && this.schema.field(rule.type, rule.outputs[0]?.field ?? '')?.label;
		if (!label || !rule.name.startsWith(`${label}: `)) return;
		const by = / by$/i.test(label) ? '' : 'by ';
		const name = freeName(this.draft, rule.type, `${label} ${by}${source.toLowerCase()}`);
		this.editRule('name', id, (r) => ({ ...r, name }));
	}

	/** Puts a rule into the draft once more, at another field. */
	copyRule(id: string, to: { type: string; field: string }) {
		const as = `r_${crypto.randomUUID().slice(0, 8)}`;
		this.edit(`copy ${id}`, copiedTo(this.draft, this.schema, id, to, as));
		return as;
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

	/** Stores what was edited; resolves when the server has it or has said why not. */
	flush(): Promise<void> {
		return this.saver.flush();
	}

	/** What the steps of this page lie in. */
	get #steps() {
		return `${this.account.id} ${this.force.number}`;
	}
	/** Keeps the steps for this tab; see {@link History.keep}. In the browser only. */
	keepSteps = () => this.history.keep(sessionStorage, this.#steps);
	takeUpSteps = () => this.history.takeUp(sessionStorage, this.#steps);

	stop() {
		if (this.#hearing) clearTimeout(this.#hearing);
		this.others.stop();
		this.trials.stop();
		this.covering.stop();
		this.analysis.stop();
	}

	// ---- the sample -------------------------------------------------------------------------

	touch(field: string, value: JsonValue) {
		const s = this.sample;
		if (!s) return;
		const stored = s.created ? null : (s.was[field] ?? null);
		const gives = (sent: Touched) => {
			const rec = this.settleSample(s, [...sent])?.records[0];
			const at = this.schema.type(s.type).at.get(field);
			return rec && at !== undefined ? toJson(rec.values[at]) : undefined;
		};
		this.sample = { ...s, sent: touch(s.sent, field, value, stored, gives) };
	}

	/** Pretends that a field of the stored record was otherwise before the change. */
	pretend(field: string, value: JsonValue) {
		const s = this.sample;
		if (!s || s.created) return;
		const stored = s.stored ?? s.was;
		const was = { ...s.was, [field]: value };
		const same = (id: string) =>
			canonicalJson(was[id] ?? null) === canonicalJson(stored[id] ?? null);
		const all = Object.keys({ ...was, ...stored }).every(same);
		this.sample = { ...s, was, stored: all ? undefined : stored };
	}

	/** Fields that are pretended to have been otherwise. */
	pretended(s: Sample): string[] {
		const { stored, was } = s;
		if (!stored) return [];
		return Object.keys({ ...was, ...stored }).filter(
			(id) => canonicalJson(was[id] ?? null) !== canonicalJson(stored[id] ?? null)
		);
	}

	instant(): string {
		const s = this.sample;
		return s?.day ? `${s.day}T09:00:00.000Z` : new Date().toISOString();
	}

	#settleSample(): Settled | null {
		const s = this.sample;
		if (!s || !this.here || !this.schema.types.has(s.type)) return null;
		const settled = this.settleSample(s, s.sent, false);
		if (settled) {
			this.#read = [...settled.read, ...settled.found];
			this.#looked = this.near.version > 0;
		}
		return settled;
	}

	/** What the draft makes of a change to the sample; `alone` without the records it runs on to. */
	settleSample(s: Sample, sent: Sample['sent'], alone = true): Settled | null {
		try {
			const record = submissionOf(this.schema, {
				type: s.type,
				was: s.created ? null : s.was,
				sent,
				...(s.created || !s.id ? {} : { record: s.id, added: s.added })
			});
			const change = {
				records: [record],
				entryPoint: s.entryPoint,
				instant: Date.parse(s.day ? `${s.day}T09:00:00.000Z` : new Date().toISOString()),
				person: this.account.person
			};
			void this.near.version;
			const want = (needs: readonly Need[]) => queueMicrotask(() => this.near.want(needs));
			const settled = settle(this.shown.plan, change, this.#loader, {
				explain: true,
				missing: (need) => want([need]),
				states: true,
				alone,
				most: 200,
				zones
			});
			if (settled.needs.length) want(settled.needs);
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
		this.showRecord(f.type, f, `A ${type.label.toLowerCase()} that shows it`);
	}

	/** Pins a record that was made up as the sample. */
	showRecord(
		type: string,
		shown: Pick<Finding, 'witness' | 'near' | 'was' | 'entryPoint'>,
		title: string
	) {
		const near = shown.near ?? [];
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
			type,
			id: null,
			title,
			was: shown.was ?? {},
			links: {},
			sent: Object.entries(shown.witness ?? {}),
			entryPoint: shown.entryPoint ?? 'full',
			created: !shown.was,
			day: PROBE_DAY,
			near
		};
	}

	/** Pins the record and the first change of a trial as the sample. */
	showTrial(t: Pick<Trial, 'type' | 'was' | 'sent' | 'near' | 'entryPoint' | 'at'>) {
		const { type } = this.schema.type(t.type);
		const title = (t.was ?? Object.fromEntries(t.sent))[type.title];
		this.showRecord(
			t.type,
			{
				witness: Object.fromEntries(t.sent),
				near: t.near ?? [],
				entryPoint: t.entryPoint,
				...(t.was ? { was: t.was } : {})
			},
			typeof title === 'string' ? title : `The ${type.label.toLowerCase()} of a trial`
		);
		this.sample = { ...this.sample!, day: t.at.slice(0, 10) };
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

	/** A rule that decides some records now: of what is in force, or of the pilot alone. */
	ruleInForce(id: string): Rule | undefined {
		const of = (set: RuleSet | undefined) => set?.rules.find((r) => r.id === id);
		return of(this.force.set) ?? of(this.pilot?.set);
	}

	/** A field, or what stands in its place for the rules that send messages. */
	field(type: string, id: string): Field | undefined {
		return id === MESSAGES ? MESSAGES_FIELD : this.schema.field(type, id);
	}

	/** A value as people read it, for conditions in words. */
	readonly sayValue: SayValue = (field, value) =>
		formatValue({ ...field, id: '', label: '', group: '' }, value, this.schema, this.titles.all);
}

export const provideWorkbench = (w: Workbench) => setContext(KEY, w);
export const useWorkbench = () => getContext<Workbench>(KEY);
