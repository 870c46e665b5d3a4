/** A bundle that is about to be taken in: what its parts are taken for here, what of it is chosen, and what that would do. */
import {
	Carrier,
	Schema,
	applied,
	cameAlike,
	compareVersions,
	compilePlan,
	identitiesOf,
	meet,
	modelOffers,
	modelWith,
	partKey,
	recordsNamed,
	refKey,
	runTrial,
	trialsAgainst,
	withRows,
	withTaken,
	withUsed,
	type Bundle,
	type Choices,
	type Compared,
	type Meeting,
	type Model,
	type ModelFault,
	type ModelOffer,
	type Plan,
	type RuleSet,
	type Trial,
	type TrialResult
} from '$core';
import { zones } from '../../runtime/zones';
import { formatValue } from '../words/format';
import { Refused, ask } from '../work/http';
import type { Workbench } from '../work/workbench.svelte';

/** A record that rules of the bundle name. */
export interface Named {
	/** `type.id` in the bundle. */
	key: string;
	/** Its record type here; null where that is new. */
	type: string | null;
	title: string;
	/** By what it was looked for: `Name Ruth`; null of one that has no key. */
	by: string | null;
	/** How many records here have that key; null while it is not known. */
	found: number | null;
	/** The one that it is here. */
	here: string | null;
}

/** How a trial of the bundle comes out. */
export interface TriedTrial {
	trial: Trial;
	there: TrialResult;
	here: TrialResult;
}

/** Trials run in a row before the page is let breathe. */
const AT_ONCE = 15;
/** Trials stored with one request. */
const STORED_AT_ONCE = 200;

/** Parts of the model: what is decided before rules are looked at. */
const MODEL_PARTS: readonly Meeting['part'][] = ['type', 'field', 'list', 'option'];

/** Known by its identity, which is the same there and here; or said to be what it would be taken for anyway. */
const isPlain = (m: Meeting) => m.by === 'identity' || (m.by === 'choice' && m.id === m.here);

export class Taking {
	/** What somebody said that a part is here. */
	choices = $state.raw<Choices>({});
	/** Offers of the model of which somebody said otherwise than proposed, by key. */
	#offersSaid = $state.raw<ReadonlyMap<string, boolean>>(new Map());
	/** Parts of the rule set, and sorts of trials, that somebody left out. */
	left = $state.raw<ReadonlySet<string>>(new Set());
	/** Records that somebody picked, by key in the bundle. */
	picked = $state.raw<ReadonlyMap<string, string>>(new Map());
	/** What was found by keys. */
	#found = $state.raw<ReadonlyMap<string, readonly string[]>>(new Map());
	/** Whether the model was decided about. */
	pastModel = $state(false);
	busy = $state(false);
	trouble = $state<string | null>(null);
	readonly #from: Schema;
	readonly #name: string;
	/** The bundle's own plan, for how its trials come out there. */
	readonly #own: Plan;

	constructor(
		readonly bundle: Bundle,
		private readonly w: Workbench
	) {
		const { set, model } = bundle;
		this.#from = new Schema(model, { definitions: set.definitions, tables: set.tables });
		this.#own = compilePlan(this.#from, set);
		this.#name = `bundle.${bundle.of}.${bundle.made}`;
		try {
			this.choices = JSON.parse(localStorage.getItem(this.#name) ?? '{}') as Choices;
		} catch {
			// what was kept cannot be read; it is decided anew
		}
	}

	/** Nothing is in the workspace yet: then everything is proposed as the bundle has it. */
	readonly untouched = $derived.by(
		() => !this.w.draft.rules.length && !this.w.force.number && !this.w.model.lists.length
	);

	readonly met = $derived.by((): Meeting[] => {
		const { bundle, w } = this;
		return meet(
			{ model: bundle.model, set: bundle.set, trials: bundle.trials },
			{ model: w.model, set: w.draft, trials: w.trials.all },
			this.choices
		);
	});
	readonly byKey = $derived(new Map(this.met.map((m) => [m.key, m])));

	// ---- the model ----------------------------------------------------------------------------

	readonly #modelIds = $derived(identitiesOf(this.met, new Map()));
	readonly #wanted: Model = $derived.by(() =>
		modelWith(this.bundle.model, this.w.model, this.#modelIds, this.met)
	);
	readonly offers: ModelOffer[] = $derived.by(() => modelOffers(this.w.model, this.#wanted));
	/** What is new here as a whole; other offers are of what is here already. */
	isNew = ({ says }: ModelOffer) =>
		says === null || (Array.isArray(says.here) && !says.here.length);
	isOffered = (o: ModelOffer) => this.#offersSaid.get(o.key) ?? (this.isNew(o) || this.untouched);
	sayOffer(o: ModelOffer, on: boolean) {
		this.#offersSaid = new Map([...this.#offersSaid, [o.key, on]]);
	}
	readonly chosenOffers = $derived.by(() => this.offers.filter(this.isOffered));
	/** Parts of the model that are no plain matter: new, known by something else than identity, or unlike. */
	readonly noted = $derived.by(() =>
		this.met.filter(
			(m) =>
				MODEL_PARTS.includes(m.part) &&
				(m.isNew || m.unlike || m.otherwise || !isPlain(m)) &&
				// what lies in something new is new with it
				!(m.within && this.byKey.get(m.within)?.isNew)
		)
	);

	choose(key: string, here: string | null | undefined) {
		const next = { ...this.choices };
		if (here === undefined) delete next[key];
		else next[key] = here;
		this.#decide(next);
	}
	#decide(next: Choices) {
		this.choices = next;
		try {
			localStorage.setItem(this.#name, JSON.stringify(next));
		} catch {
			// it is not kept, and stands on this page
		}
	}

	/** Takes what is chosen into the model, which is live at once. @returns what stands against it */
	async takeModel(): Promise<readonly ModelFault[]> {
		const { w } = this;
		this.busy = true;
		const pieces = this.chosenOffers.map((o) => o.piece);
		// what was made is what it is taken for from now on, whatever it is called
		const decided = Object.fromEntries(
			this.met.filter((m) => MODEL_PARTS.includes(m.part)).map((m) => [m.key, m.here])
		);
		try {
			const faults = await w.editModel(
				`the model of ${this.bundle.name}`,
				applied(w.model, pieces).set
			);
			if (faults.length) return faults;
			this.#decide({ ...this.choices, ...decided });
			this.pastModel = true;
			return [];
		} finally {
			this.busy = false;
		}
	}

	// ---- records ------------------------------------------------------------------------------

	readonly named: Named[] = $derived.by(() => {
		const { bundle } = this;
		const known = new Map(bundle.records.map((r) => [refKey(r.type, r.id), r]));
		return recordsNamed(bundle.set, this.#from).map(({ type, id }): Named => {
			const key = refKey(type, id);
			const is = known.get(key);
			const met = this.byKey.get(`type ${type}`);
			const field = is?.key && this.#from.field(type, is.key.field);
			const found = this.#found.get(key);
			return {
				key,
				type: met && !met.isNew ? met.here : null,
				title: is?.title ?? `No. ${id}`,
				by:
					is?.key && field
						? `${field.label} ${formatValue(field, is.key.value, this.#from, {})}`
						: null,
				found: found ? found.length : is?.key ? null : 0,
				here: this.picked.get(key) ?? (found?.length === 1 ? found[0] : null)
			};
		});
	});
	readonly unknown = $derived(this.named.filter((n) => n.here === null));

	/** Asks which records here have the keys of those that the bundle names. */
	async lookForRecords() {
		const { w } = this;
		const sought = this.bundle.records.flatMap((r) => {
			const type = this.byKey.get(`type ${r.type}`);
			const field = r.key && this.byKey.get(`field ${refKey(r.type, r.key.field)}`);
			if (!r.key || !type || type.isNew || !field || field.isNew) return [];
			const here = w.schema.field(type.here, field.here);
			if (!here?.key || here.retired) return [];
			const value = r.key.value;
			return [{ of: refKey(r.type, r.id), ask: { type: type.here, field: field.here, value } }];
		});
		let found: string[][] = [];
		try {
			if (sought.length)
				({ found } = await ask<{ found: string[][] }>('/look/known', {
					method: 'POST',
					body: { sought: sought.map((s) => s.ask) }
				}));
		} catch (e) {
			if (!(e instanceof Refused)) throw e;
			this.trouble = `Which records are known here could not be asked: ${e.message}`;
			return;
		}
		const all = new Map(this.bundle.records.map((r) => [refKey(r.type, r.id), [] as string[]]));
		sought.forEach((s, i) => all.set(s.of, found[i]));
		this.#found = all;
	}
	pick(key: string, id: string | null) {
		const next = new Map(this.picked);
		if (id === null) next.delete(key);
		else next.set(key, id);
		this.picked = next;
	}

	// ---- rules --------------------------------------------------------------------------------

	readonly #carrier = $derived.by(() => {
		const records = new Map(this.named.map((n) => [n.key, n.here]));
		return new Carrier(this.#from, identitiesOf(this.met, records), this.bundle.set.rules);
	});
	readonly #carried: RuleSet = $derived.by(() => this.#carrier.set(this.bundle.set));
	readonly #everything = $derived.by(() => {
		const set = this.#carried;
		return new Set([
			...set.rules.map((r) => partKey('rule', r.id)),
			...(set.definitions ?? []).map((d) => partKey('definition', d.id)),
			...(set.tables ?? []).map((t) => partKey('table', t.id)),
			...Object.keys(set.order).map((key) => partKey('order', key))
		]);
	});
	/** What the draft would have otherwise if all were taken. */
	readonly compared: Compared[] = $derived.by(() => {
		const { model, draft, titles } = this.w;
		const all = withTaken(draft, this.#carried, this.#everything);
		return compareVersions(
			{ model, set: draft },
			{ model, set: all },
			(schema) => (f, v) =>
				formatValue({ ...f, id: '', label: '', group: '' }, v, schema, titles.all)
		).filter((c) => c.part !== 'model');
	});
	keyOf = (c: Compared) => partKey(c.part as 'rule', c.id);
	isTaken = (key: string) => !this.left.has(key);
	/** Leaves some out; or takes them, and with them what they use. */
	leave(keys: readonly string[], out: boolean) {
		const next = new Set(this.left);
		if (out) for (const k of keys) next.add(k);
		else for (const k of withUsed(this.#carried, keys)) next.delete(k);
		this.left = next;
	}
	/** Names of what is taken and uses a part that is left out, which says something else here or is not there. */
	readonly missed: ReadonlyMap<string, readonly string[]> = $derived.by(() => {
		const out = new Map<string, string[]>();
		const parts = this.compared.map((c) => ({ key: this.keyOf(c), name: c.name }));
		for (const { key, name } of parts.filter((p) => this.chosen.has(p.key)))
			for (const used of withUsed(this.#carried, [key]))
				if (this.left.has(used)) out.set(used, [...(out.get(used) ?? []), name]);
		return out;
	});
	readonly chosen = $derived.by(
		() => new Set(this.compared.map(this.keyOf).filter((k) => !this.left.has(k)))
	);
	/** The draft as it would be. */
	readonly next: RuleSet = $derived.by(() => withTaken(this.w.draft, this.#carried, this.chosen));
	readonly plan: Plan = $derived.by(() => {
		const set = withRows(this.next, this.w.living.rows);
		return compilePlan(
			new Schema(this.w.model, { definitions: set.definitions, tables: set.tables }),
			set
		);
	});
	/** Why chosen rules would be left out, by rule. */
	readonly problems: ReadonlyMap<string, string> = $derived.by(
		() =>
			new Map(
				this.plan.problems
					.filter((p) => this.chosen.has(partKey('rule', p.rule)))
					.map((p) => [p.rule, p.message])
			)
	);
	/** Rules that stand here alone; they stay. */
	readonly onlyHere = $derived.by(() => {
		const there = new Set(this.#carried.rules.map((r) => r.id));
		return this.w.draft.rules.filter((r) => !there.has(r.id)).length;
	});

	// ---- trials -------------------------------------------------------------------------------

	readonly #trials = $derived.by(() => {
		const ids = new Map(this.met.filter((m) => m.part === 'trial').map((m) => [m.id, m.here]));
		return this.bundle.trials.map((t): Trial => ({
			...this.#carrier.trial(t),
			id: ids.get(t.id) ?? t.id
		}));
	});
	readonly trials = $derived.by(() => trialsAgainst(this.w.trials.all, this.#trials));
	readonly chosenTrials = $derived.by(() =>
		this.trials
			.filter((t) => t.what !== 'same' && this.isTaken(`trials ${t.what}`))
			.map((t) => t.trial)
	);
	/** How trials of the bundle come out there and here, as far as they were run. */
	tried = $state.raw<readonly TriedTrial[]>([]);
	/** Trials here that would come out otherwise. */
	apart = $state.raw<readonly { trial: Trial; before: TrialResult; after: TrialResult }[]>([]);
	running = $state(false);
	#run = 0;

	/** Runs the trials of the bundle, and those here, on the draft as it would be. */
	async run() {
		const mine = ++this.#run;
		const { w, plan } = this;
		const [there, ours, taken] = [this.bundle.trials, w.trials.all, this.#trials];
		const before = w.plan;
		const over = new Set(this.chosenTrials.map((t) => t.id));
		this.running = true;
		const tried: TriedTrial[] = [];
		const apart: { trial: Trial; before: TrialResult; after: TrialResult }[] = [];
		const steps = [
			...taken.map((trial, i) => () => {
				tried.push({
					trial,
					there: runTrial(this.#own, there[i], zones),
					here: runTrial(plan, trial, zones)
				});
			}),
			...ours.flatMap((trial) =>
				over.has(trial.id)
					? []
					: [
							() => {
								const [a, b] = [runTrial(before, trial, zones), runTrial(plan, trial, zones)];
								if (!cameAlike(a, b)) apart.push({ trial, before: a, after: b });
							}
						]
			)
		];
		for (let i = 0; i < steps.length; i += AT_ONCE) {
			for (const step of steps.slice(i, i + AT_ONCE)) step();
			await new Promise((r) => setTimeout(r));
			if (mine !== this.#run) return;
		}
		this.tried = tried;
		this.apart = apart;
		this.running = false;
	}
	stop() {
		this.#run++;
	}

	/** Puts what is chosen into the draft, as one step, and stores the trials. @returns what was done, in words; null where it failed */
	async take(): Promise<string | null> {
		const { w } = this;
		this.busy = true;
		this.trouble = null;
		const rules = this.compared.filter((c) => c.part === 'rule' && this.chosen.has(this.keyOf(c)));
		const trials = this.chosenTrials;
		const before = w.draft;
		w.history.close();
		w.edit(`take ${this.bundle.name} of ${this.bundle.of || 'a bundle'}`, this.next);
		w.history.close();
		const changed = w.draft !== before;
		await w.flush();
		let stored = 0;
		try {
			if (w.saver.state !== 'saved') {
				this.trouble = 'The draft could not be stored; what stands against it is told above.';
				return null;
			}
			for (; stored < trials.length; stored += STORED_AT_ONCE) {
				const against = await w.trials.keepAll(trials.slice(stored, stored + STORED_AT_ONCE));
				if (against === null) continue;
				this.trouble = `The rules are in the draft; of its trials ${stored} are stored, and then: ${against}`;
				return null;
			}
		} finally {
			this.busy = false;
		}
		const count = (n: number, one: string, many: string) => `${n} ${n === 1 ? one : many}`;
		return [
			`Taken into the draft: ${count(rules.length, 'rule', 'rules')}, ${count(trials.length, 'trial', 'trials')}.`,
			...(changed ? ['Undo takes the rules out again; trials stay.'] : [])
		].join(' ');
	}
}
