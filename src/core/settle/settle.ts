/**
 * Settles a change: one pass over the fields that rules write, in the order of the plan, each
 * field written at most once. The same code runs for a keystroke in a form, a row of an import,
 * a call of the API and a trial.
 */
import {
	CHANGE_STEPS,
	EVALUATION_STEPS,
	Interrupt,
	RECORD_STEPS,
	RELATED_STEPS
} from '../feel/budget';
import type { Env, RecordView, Step } from '../feel/env';
import { hold, misfit } from '../fields/codec';
import type { Image } from '../document/tree';
import type { Schema } from '../document/model';
import { refKey } from '../document/model';
import type { MomentName } from '../document/rules';
import type { Claim, MessageRule, Plan, PlanNode, Seen, TypePlan, Validator } from '../plan/plan';
import type { BodyResult, TableTrace } from '../kinds/spec';
import type { MatchKey } from '../fields/match';
import { matchKey } from '../fields/match';
import type { ZoneClock } from '../value/temporal';
import { LocalDate, Moment } from '../value/temporal';
import type { Value } from '../value/value';
import { isBlank, isList, same } from '../value/value';
import type { Outgoing } from './outgoing';
import { sendings } from './outgoing';
import type {
	Change,
	ClaimReport,
	Deferred,
	Loader,
	Need,
	Outcome,
	SeenValue,
	Settled,
	SettledRecord,
	SettleOptions,
	SubmittedRecord
} from './types';
import { searchKey } from './types';

export type { Outgoing, Sending } from './outgoing';
export * from './types';

/** Most records that one change runs on to in one transaction. */
export const MOST_REACHED = 2_000;

/** Settles a change on a plan. Never throws for any data; what a rule cannot do is reported in the result. */
export function settle(
	plan: Plan,
	change: Change,
	loader: Loader,
	options: SettleOptions
): Settled {
	return new Pass(plan, change, loader, options).run();
}

class PendingRecord extends Interrupt {}
/** One for all: it says no more than that, and is thrown too often to note each time where. */
const PENDING = new PendingRecord();

/** Why something could not be worked out: a record is not at hand yet, or it failed. */
interface Failure {
	pending: boolean;
	message: string;
}

/** What was thrown while a formula ran, whatever it is: it fails what ran, and never settling. */
function failure(e: unknown): Failure {
	if (e instanceof PendingRecord) return { pending: true, message: NOT_AT_HAND };
	if (e instanceof Interrupt) return { pending: false, message: e.message };
	return { pending: false, message: 'It cannot be worked out for this.' };
}

interface Working extends RecordView {
	settled: Value[];
	sent: Value[];
	submitted: SubmittedRecord;
	readonly plan: TypePlan;
	/** When each field got its value, in touches: 0 for what was just sent, Infinity for what is kept. */
	readonly stamps: number[];
	/** 1 for each field whose settled value differs from the stored one. */
	readonly changed: number[];
	/** Fields that somebody sent. */
	readonly given: number[];
	/** The claim that wrote each field last in this change. */
	readonly wrote: (string | null)[];
	/** Fields (`type.field`) of other records whose change reached this one. */
	touched: Set<string> | null;
	out: SettledRecord;
	outcomes: Map<string, ClaimReport> | null;
}

class Pass {
	private readonly schema: Schema;
	private readonly records: Working[] = [];
	/** The same by `type.id`. */
	private readonly byKey = new Map<string, Working>();
	private readonly places = new Map<string, number>();
	/** Loaded on the way, by `type.id`. */
	private views: Map<string, RecordView | null> | null = null;
	private needs: Map<string, Need> | null = null;
	private deferred: Map<string, Deferred> | null = null;
	private readonly found = new Map<string, { type: string; id: string }>();
	/** For each record, 1 at the nodes to settle; and the same for any record. */
	private readonly dirty: number[][];
	private readonly any: number[];
	private readonly env: PassEnv;
	private readonly moment: MomentName;

	constructor(
		private readonly plan: Plan,
		private readonly change: Change,
		private readonly loader: Loader,
		private readonly options: SettleOptions
	) {
		this.schema = plan.schema;
		this.moment = change.onRequest ? 'request' : 'changed';
		for (const r of change.records) this.take(this.open(r, !!r.touched));
		const size = plan.nodes.length + plan.messages.length;
		this.any = zeros(size);
		const alone = change.records.length === 1;
		this.dirty = change.records.map(() => (alone ? this.any : zeros(size)));
		this.env = new PassEnv(this.schema.model.zone, options.zones, change, this);
	}

	private take(rec: Working) {
		const key = refKey(rec.type, rec.id);
		this.places.set(key, this.records.length);
		this.records.push(rec);
		this.byKey.set(key, rec);
	}

	private open(r: SubmittedRecord, reached: boolean): Working {
		const { at, type } = this.schema.type(r.type);
		const sent: Value[] = r.removed ? r.was.map(() => null) : r.was.slice();
		const stamps = zeros(sent.length);
		const changed = zeros(sent.length);
		const given = zeros(sent.length);
		let touch = 0;
		for (const [id, v] of r.sent) {
			const i = at.get(id);
			if (i === undefined) continue;
			sent[i] = hold(type.fields[i], v);
			given[i] = 1;
			stamps[i] = r.keep === 'touched' ? ++touch : r.keep.has(id) ? Infinity : 0;
			if (!same(sent[i], r.was[i])) changed[i] = 1;
		}
		if (r.removed) r.was.forEach((v, i) => (changed[i] = isBlank(v) ? 0 : 1));
		const settled = sent.slice();
		return {
			type: r.type,
			id: r.id,
			plan: this.plan.types.get(r.type)!,
			was: r.was,
			sent,
			settled,
			submitted: r,
			stamps,
			changed,
			given,
			wrote: new Array<string | null>(sent.length).fill(null),
			touched: r.touched ? new Set(r.touched) : null,
			outcomes: this.options.explain ? new Map() : null,
			out: {
				type: r.type,
				id: r.id,
				created: r.created,
				reached,
				was: r.was,
				values: settled,
				changes: [],
				setAside: [],
				failures: [],
				added: NOTHING_LIMITED,
				readOnly: NOTHING_RESTRICTED,
				messages: [],
				sends: NOTHING_SENT,
				required: NONE,
				hidden: NONE,
				limited: NOTHING_LIMITED,
				reports: []
			}
		};
	}

	/** A record that a rule reads: one of the change, or a stored one. @throws {PendingRecord} */
	view(type: string, id: string): RecordView | null {
		const key = refKey(type, id);
		const own = this.byKey.get(key);
		if (own) return own.submitted.removed ? null : own;
		this.views ??= new Map();
		const seen = this.views.get(key);
		if (seen !== undefined) return seen;
		const values = this.loader.record(type, id);
		if (values === undefined) this.pending(key, { type, id });
		const was = this.loader.before?.(type, id) ?? values;
		const v = values ? { type, id, was: was!, sent: values, settled: values } : null;
		this.views.set(key, v);
		return v;
	}

	/**
	 * The records whose link points to one, with the links that this change moves.
	 * @throws {PendingRecord}
	 */
	relatedIds(type: string, field: string, id: string, image: Image): readonly string[] {
		let stored = this.loader.related(type, field, id);
		if (!stored) {
			const { target } = this.schema.field(type, field)!;
			// nothing stored points to a record that is only now made
			if (this.byKey.get(refKey(target!, id))?.submitted.created) stored = [];
		}
		if (!stored) this.pending(`${type}.${field}.${id}`, { type, field, of: id });
		const i = this.schema.type(type).at.get(field)!;
		let ids = stored;
		for (const r of this.records) {
			if (r.type !== type) continue;
			const points = r[image][i] === id && !(image === 'was' && r.submitted.created);
			if (points === ids.includes(r.id)) continue;
			ids = points ? [...ids, r.id] : ids.filter((x) => x !== r.id);
		}
		return ids;
	}

	/**
	 * The records whose fields have all the keys, lowest number first, with what this change makes of
	 * them; never the record at hand itself. @throws {PendingRecord}
	 */
	matching(type: string, keys: readonly MatchKey[]): readonly string[] {
		const stored = this.loader.matching(type, keys);
		if (!stored) this.pending(searchKey(type, keys), { type, match: keys });
		const { at } = this.schema.type(type);
		let ids = stored;
		for (const r of this.records) {
			if (r.type !== type) continue;
			const meets = keys.every((k) => matchKey(k.how, r.settled[at.get(k.field)!]) === k.key);
			if (meets !== ids.includes(r.id))
				ids = meets ? [...ids, r.id] : ids.filter((x) => x !== r.id);
		}
		const own = this.env.rec;
		if (own?.type === type) ids = ids.filter((x) => x !== own.id);
		for (const id of ids.slice(0, 20)) this.found.set(refKey(type, id), { type, id });
		return [...ids].sort((a, b) => a.length - b.length || (a < b ? -1 : 1));
	}

	// ---- running on along links -------------------------------------------------------------

	/** Marks what depends on a field of a record at other records, which join the change. */
	private reach(rec: Working, field: number) {
		if (!rec.changed[field] || this.options.alone) return;
		const all = rec.plan.reach[field];
		if (!all) return;
		for (const { via, node, type, key } of all)
			for (const id of this.whoReads(rec, via)) {
				const i = this.join(type, id, key);
				if (i < 0 || this.records[i].submitted.removed) continue;
				this.mark(this.dirty[i], node);
				(this.records[i].touched ??= new Set()).add(key);
			}
	}

	/** The records from which a way leads to a record, before the change or after it. */
	private whoReads(rec: Working, via: readonly Step[]): ReadonlySet<string> {
		let here = new Set([rec.id]);
		let type = rec.type;
		for (let k = via.length - 1; k >= 0; k--) {
			const v = via[k];
			const before = new Set<string>();
			for (const id of here)
				for (const x of v.back ? this.parents(type, v.field, id) : this.children(v, id))
					before.add(x);
			here = before;
			type = v.back ? this.schema.field(v.type, v.field)!.target! : v.type;
		}
		return here;
	}

	/** Where a record's link points, and pointed before. */
	private parents(type: string, field: string, id: string): string[] {
		const i = this.schema.type(type).at.get(field)!;
		const view = this.byKey.get(refKey(type, id)) ?? this.nearby(() => this.view(type, id));
		return view ? [view.was[i], view.settled[i]].filter((x) => typeof x === 'string') : [];
	}

	/** The records whose link points to one, or pointed before. */
	private children(v: Step, id: string): string[] {
		const i = this.schema.type(v.type).at.get(v.field)!;
		const ids = this.nearby(() => this.relatedIds(v.type, v.field, id, 'settled')) ?? [];
		const left = this.records.filter((r) => r.type === v.type && r.was[i] === id).map((r) => r.id);
		return [...ids, ...left];
	}

	private nearby<T>(get: () => T): T | null {
		try {
			return get();
		} catch (e) {
			if (e instanceof PendingRecord) return null;
			throw e;
		}
	}

	/** The place of a record in the change; it joins it if need be. -1 when it is not at hand, or comes later. */
	private join(type: string, id: string, reachedBy: string): number {
		const key = refKey(type, id);
		const had = this.places.get(key);
		if (had !== undefined) return had;
		if (this.records.length - this.change.records.length >= (this.options.most ?? MOST_REACHED)) {
			this.deferred ??= new Map();
			const later = this.deferred.get(key) ?? { type, id, touched: [] };
			if (!later.touched.includes(reachedBy)) later.touched.push(reachedBy);
			this.deferred.set(key, later);
			return -1;
		}
		const was = this.loader.record(type, id);
		if (was === undefined)
			this.needs = (this.needs ?? new Map<string, Need>()).set(key, { type, id });
		if (!was) return -1;
		this.views?.delete(key);
		if (this.records.length === 1) this.dirty[0] = this.any.slice();
		this.env.touchesRecord();
		this.take(
			this.open(
				{ type, id, created: false, was, sent: new Map(), keep: new Set(), inLine: true },
				true
			)
		);
		this.dirty.push(zeros(this.any.length));
		return this.records.length - 1;
	}

	private pending(key: string, need: Need): never {
		this.needs ??= new Map();
		this.needs.set(key, need);
		throw PENDING;
	}

	run(): Settled {
		const { nodes } = this.plan;
		this.records.forEach((rec, i) => this.markFirst(rec, this.dirty[i]));
		for (let n = this.any.indexOf(1); n >= 0; n = this.any.indexOf(1, n + 1))
			for (let i = 0; i < this.records.length; i++)
				if (this.dirty[i][n] && n < nodes.length) {
					this.node(this.records[i], nodes[n]);
					this.markWatchers(this.records[i], nodes[n].index, this.dirty[i]);
					if (this.plan.reach.size) this.reach(this.records[i], nodes[n].index);
				} else if (this.dirty[i][n])
					this.send(this.records[i], this.plan.messages[n - nodes.length]);
		for (const rec of this.records) if (!rec.submitted.removed) this.close(rec);
		return {
			records: this.records.map((r) => r.out),
			read: [...(this.views?.values() ?? [])].flatMap((v) =>
				v ? [{ type: v.type, id: v.id }] : []
			),
			found: [...this.found.values()],
			deferred: this.deferred ? [...this.deferred.values()] : [],
			needs: this.needs ? [...this.needs.values()] : [],
			steps: this.env.taken()
		};
	}

	private mark(dirty: number[], n: number) {
		dirty[n] = 1;
		this.any[n] = 1;
	}

	/** Which fields of a record to look at before any rule has run. */
	private markFirst(rec: Working, dirty: number[]) {
		const p = rec.plan;
		if (rec.submitted.removed) {
			for (let i = 0; i < rec.changed.length; i++) this.reach(rec, i);
			return;
		}
		if (rec.submitted.created || this.change.onRequest) {
			for (const n of p.nodes) this.mark(dirty, n);
			if (!this.change.onRequest) for (const n of p.messages) this.mark(dirty, n);
		} else {
			for (const key of rec.submitted.touched ?? [])
				for (const r of this.plan.reach.get(key.split(' ', 1)[0]) ?? [])
					if (r.key === key && r.type === rec.type) this.mark(dirty, r.node);
			if (!rec.submitted.inLine) for (const n of p.locked) this.mark(dirty, n);
			for (const n of p.filling)
				if (isBlank(rec.settled[this.plan.nodes[n].index])) this.mark(dirty, n);
			for (let i = 0; i < rec.given.length; i++)
				if (rec.given[i]) {
					if (p.position[i] >= 0) this.mark(dirty, p.position[i]);
					this.markWatchers(rec, i, dirty);
				}
		}
		// a field that rules write runs on when it is settled
		if (this.plan.reach.size && !this.change.onRequest)
			for (let i = 0; i < rec.given.length; i++) if (p.position[i] < 0) this.reach(rec, i);
	}

	private markWatchers(rec: Working, field: number, dirty: number[]) {
		if (rec.changed[field]) for (const n of rec.plan.watchers[field]) this.mark(dirty, n);
	}

	private triggered(rec: Working, c: Claim | MessageRule): boolean {
		if (this.change.onRequest) return true;
		// a new record triggers everything, but for a rule whose author named the fields it watches,
		// and one that is set off at another record
		if (rec.submitted.created && !c.rule.watch && !c.rule.each) return true;
		for (const i of c.triggers) if (rec.changed[i]) return true;
		for (const i of c.triggersSent) if (!same(rec.sent[i], rec.was[i])) return true;
		if (rec.touched) for (const r of c.reached) if (rec.touched.has(r.key)) return true;
		return false;
	}

	/** The latest touch that triggers a claim. */
	private cause(rec: Working, c: Claim): number {
		let latest = 0;
		for (const i of c.triggers)
			if (rec.changed[i]) latest = Math.max(latest, finite(rec.stamps[i]));
		for (const i of c.triggersSent) latest = Math.max(latest, finite(rec.stamps[i]));
		return latest;
	}

	/** Notes what a claim did, where somebody asked. */
	private report(
		rec: Working,
		c: Claim | Validator | MessageRule,
		outcome: Outcome,
		more?: Partial<ClaimReport>
	) {
		rec.outcomes?.set(c.id, {
			claim: c.id,
			rule: c.rule.id,
			field: c.field.id,
			outcome,
			...more,
			...(outcome === 'outranked' ? {} : this.evidence(rec, c))
		});
	}

	/** Whether a claim applies now: true, or why not. */
	private applies(rec: Working, c: Claim): true | Outcome {
		if (c.output.hold === 'once' && !rec.submitted.created) return 'moment left out';
		if (this.change.onRequest && c.eventful) return 'event left out';
		return this.fits(rec, c);
	}

	/** Whether moment, entry point and guard of a rule fit: true, or why not. */
	private fits(rec: Working, c: Claim | Validator | MessageRule): true | Outcome {
		const { rule } = c;
		if (rule.submittedOnly && rec.out.reached) return 'reached left out';
		const moment: MomentName = rec.submitted.created ? 'created' : this.moment;
		if (!rule.moments.includes(moment)) return 'moment left out';
		if (rule.entryPoints && !rule.entryPoints.includes(this.change.entryPoint))
			return 'entry point left out';
		if (!c.guard) return true;
		const at = this.setOffAt(rec, c);
		if (!at) return 'guard unknown';
		this.env.rec = at;
		try {
			const g = c.guard(this.env);
			if (g !== true) return g === false ? 'guard false' : 'guard unknown';
			const created = this.byKey.get(refKey(at.type, at.id))?.submitted.created;
			if (rule.entering && !created && c.guardBefore!(this.env) === true)
				return 'did not come to hold';
			return true;
		} finally {
			this.env.rec = rec;
		}
	}

	/** The record whose change sets a rule off: this one, or the one its `each` link points to; null without one. */
	private setOffAt(rec: Working, c: Claim | Validator | MessageRule): RecordView | null {
		if (!('each' in c) || typeof c.each !== 'number' || c.each < 0) return rec;
		const id: Value = rec.settled[c.each];
		const { target } = this.schema.type(rec.type).type.fields[c.each];
		return typeof id === 'string' ? this.view(target!, id) : null;
	}

	// ---- messages ---------------------------------------------------------------------------

	/** Writes what a message rule sends for a record. */
	private send(rec: Working, m: MessageRule) {
		const { env } = this;
		env.begin(rec);
		try {
			const fit = this.triggered(rec, m) ? this.fits(rec, m) : 'not triggered';
			if (fit !== true) return this.report(rec, m, fit);
			const sending = sendings(m, rec, env.today, {
				at: (view) => {
					env.begin(view);
					return env;
				},
				view: (type, id) => this.view(type, id),
				related: (type, field, id) => this.relatedIds(type, field, id, 'settled')
			});
			env.rec = rec;
			if (sending.sends.length) rec.out.sends = [...rec.out.sends, ...sending.sends];
			for (const f of sending.failed)
				rec.out.failures.push({ claim: m.id, field: m.field.id, message: f.message });
			this.report(rec, m, sending.sends.length ? 'sends' : 'nobody', { sending });
		} catch (e) {
			const { pending, message } = failure(e);
			env.rec = rec;
			if (!pending) rec.out.failures.push({ claim: m.id, field: m.field.id, message });
			this.report(rec, m, pending ? 'pending' : 'failed', { message });
		}
	}

	// ---- what a field may be ----------------------------------------------------------------

	/** The same as {@link fits}, with what a rule cannot do as a reason. */
	private inEffect(rec: Working, v: Validator): true | Outcome {
		this.env.begin(rec);
		try {
			return this.fits(rec, v);
		} catch (e) {
			return failure(e).pending ? 'pending' : 'failed';
		}
	}

	/** The options left in a field by every limit in effect; null where none is. */
	private optionsLeft(
		rec: Working,
		node: PlanNode
	): { ids: readonly string[]; by: Validator } | null {
		let ids = null as readonly string[] | null;
		let by = null as Validator | null;
		for (const v of node.limits) {
			if (v.kind !== 'limited' || this.inEffect(rec, v) !== true) continue;
			const some = v.allowed!(this.env);
			if (some === null) continue;
			ids = ids?.filter((x) => some.includes(x)) ?? some;
			by = v;
		}
		return ids && by && { ids, by };
	}

	/** Sets aside what may not be set, before any claim of the field runs. */
	private limit(rec: Working, node: PlanNode) {
		const i = node.index;
		for (const v of node.limits) {
			const fit = this.inEffect(rec, v);
			this.report(rec, v, fit === true ? 'in effect' : fit);
			if (v.kind === 'read-only' && fit === true && rec.given[i] && rec.changed[i])
				this.refuse(rec, node, v, 'read-only');
		}
		if (!rec.given[i] || !rec.changed[i]) return;
		const left = this.optionsLeft(rec, node);
		if (left && !allowedIn(rec.settled[i], left.ids))
			this.refuse(rec, node, left.by, 'not allowed');
	}

	private refuse(rec: Working, node: PlanNode, v: Validator, why: 'read-only' | 'not allowed') {
		const i = node.index;
		rec.out.setAside.push({
			field: v.field.id,
			sent: rec.settled[i],
			stands: rec.was[i],
			claim: v.id,
			why
		});
		rec.settled[i] = rec.was[i];
		rec.changed[i] = 0;
	}

	/** Clears a value that a new limit left behind, or replaces it by the one option that is left. */
	private leftBehind(rec: Working, node: PlanNode) {
		const i = node.index;
		const left = this.optionsLeft(rec, node);
		if (!left) return;
		const value = rec.settled[i];
		const only = left.ids.length === 1 ? left.ids[0] : null;
		if (isBlank(value)) {
			// one allowed option fills itself when the limit comes, unless the field was cleared by hand
			const comes = rec.submitted.created || left.by.triggers.some((t) => rec.changed[t]);
			if (only !== null && comes && !rec.given[i] && node.field.type === 'choice')
				this.write(rec, node, only, left.by);
			return;
		}
		if (allowedIn(value, left.ids)) return;
		const kept = isList(value) ? value.filter((x) => left.ids.includes(x as string)) : [];
		this.write(
			rec,
			node,
			kept.length ? kept : only === null ? null : isList(value) ? [only] : only,
			left.by
		);
	}

	/** Checks, required and hidden fields, on settled values. */
	private validate(rec: Working) {
		const { validators } = rec.plan;
		if (!validators.length) return;
		this.env.rec = rec;
		const hidden = new Set<string>();
		const required = new Set<string>();
		for (const v of validators) {
			if (v.kind !== 'hidden') continue;
			const fit = this.inEffect(rec, v);
			if (fit === true) hidden.add(v.field.id);
			this.report(rec, v, fit === true ? 'in effect' : fit);
		}
		for (const v of validators) {
			if (v.kind === 'hidden') continue;
			const concerned = v.always || this.concerns(rec, v);
			// an open form shows what is required; a change asks only for what it concerns
			if (!concerned && (v.kind === 'check' || !this.options.states)) {
				this.report(rec, v, 'not triggered');
				continue;
			}
			const fit = this.inEffect(rec, v);
			if (fit !== true) {
				this.report(rec, v, fit);
				continue;
			}
			if (v.kind === 'required') {
				if (hidden.has(v.field.id)) continue;
				required.add(v.field.id);
				const missing = isBlank(rec.settled[v.target]);
				this.report(rec, v, 'in effect');
				if (missing && concerned) this.say(rec, v);
				continue;
			}
			this.check(rec, v);
		}
		rec.out.hidden = hidden;
		rec.out.required = required;
	}

	private check(rec: Working, v: Validator) {
		let holds: Value = null;
		try {
			holds = v.holds!(this.env);
		} catch (e) {
			const { pending, message } = failure(e);
			return this.report(rec, v, pending ? 'pending' : 'failed', { message });
		}
		if (holds === false) {
			this.say(rec, v);
			this.report(rec, v, 'said', { message: rec.out.messages[rec.out.messages.length - 1].text });
		} else this.report(rec, v, holds === true ? 'holds' : 'cannot tell');
	}

	private say(rec: Working, v: Validator) {
		let text = '';
		try {
			text = v.message(this.env);
		} catch {
			text = `${v.field.label}: “${v.rule.name}” does not hold.`;
		}
		rec.out.messages.push({ field: v.field.id, claim: v.id, text, blocking: v.blocking });
	}

	/** Whether a change touches what a check reads. */
	private concerns(rec: Working, v: Validator): boolean {
		if (rec.submitted.created) return true;
		for (const i of v.triggers) if (rec.changed[i]) return true;
		for (const i of v.triggersSent) if (!same(rec.sent[i], rec.was[i])) return true;
		return false;
	}

	// ---- settling a field -------------------------------------------------------------------

	private node(rec: Working, node: PlanNode) {
		this.env.rec = rec;
		if (node.currency >= 0) this.roundAmount(rec, node);
		if (node.limits.length) this.limit(rec, node);
		if (node.claims.length) this.settleField(rec, node);
		if (node.adders.length) this.addTo(rec, node);
		if (node.limits.length) this.leftBehind(rec, node);
	}

	/** The currency that another field of the record tells, by its option's code or label. */
	private currencyOf(rec: Working, node: PlanNode): string | undefined {
		if (node.currency < 0) return undefined;
		const v = rec.settled[node.currency];
		const list = this.schema.type(rec.type).type.fields[node.currency].list;
		const o = typeof v === 'string' && list ? this.schema.option(list, v) : undefined;
		return o?.code ?? o?.label;
	}

	/** An amount that was entered is rounded by the currency that is settled by now. */
	private roundAmount(rec: Working, node: PlanNode) {
		const i = node.index;
		if (!rec.given[i]) return;
		rec.settled[i] = hold(node.field, rec.settled[i], this.currencyOf(rec, node));
		rec.changed[i] = same(rec.settled[i], rec.was[i]) ? 0 : 1;
	}

	/** Walks the claim order: the first claim that applies and has a result decides. */
	private settleField(rec: Working, node: PlanNode) {
		const { env } = this;
		for (let k = 0; k < node.claims.length; k++) {
			const c = node.claims[k];
			env.begin(rec);
			let result: BodyResult;
			try {
				const fit = this.applies(rec, c);
				if (fit !== true) {
					this.report(rec, c, fit);
					continue;
				}
				result = c.run(env);
			} catch (e) {
				const { pending, message } = failure(e);
				this.report(rec, c, pending ? 'pending' : 'failed', { message });
				if (!pending) {
					this.fail(rec, c, message);
					this.restore(rec, node, c);
				}
				return this.outrank(rec, node, k);
			}
			if (!result.got) {
				const { row, found } = result;
				const none = result.then ?? c.output.none;
				if (none === 'next') {
					this.report(rec, c, WITHOUT[result.why], { row, found });
					continue;
				}
				if (none === 'leave') {
					this.report(rec, c, 'left', { row, found });
					return this.outrank(rec, node, k);
				}
			}
			this.claim(rec, node, c, result);
			return this.outrank(rec, node, k);
		}
	}

	/** A claim that failed: the change goes through without it, or is refused where the author chose that. */
	private fail(rec: Working, c: Claim, message: string) {
		const field = c.field.id;
		rec.out.failures.push({ claim: c.id, field, message });
		if (c.rule.refuses)
			rec.out.messages.push({
				field,
				claim: c.id,
				text: `“${c.rule.name}” failed: ${message}`,
				blocking: true
			});
	}

	/**
	 * Sets that rules add to: what an adding claim gave before is withdrawn, what it gives now is
	 * added, and what people put there stays.
	 */
	private addTo(rec: Working, node: PlanNode) {
		const i = node.index;
		let options = listOf(rec.settled[i]);
		const added = new Map<string, readonly string[]>(rec.out.added);
		rec.out.added = added;
		const kept: [Claim, readonly string[]][] = [];
		for (const c of node.adders) {
			this.env.begin(rec);
			const memory = rec.submitted.added?.get(c.id);
			try {
				if (!this.triggered(rec, c)) {
					this.report(rec, c, 'not triggered');
					if (memory) kept.push([c, memory]);
					continue;
				}
				if (rec.given[i] && rec.stamps[i] > this.cause(rec, c)) {
					this.report(rec, c, 'kept');
					if (memory) kept.push([c, memory]);
					continue;
				}
				const before = memory ?? (rec.submitted.created ? [] : this.gaveBefore(rec, c));
				const fit = this.applies(rec, c);
				const result: BodyResult = fit === true ? c.run(this.env) : { got: false, why: 'null' };
				const now = result.got ? listOf(hold(node.field, result.value)) : [];
				const rest = options.filter((o) => !before.includes(o));
				const fresh = now.filter((o) => !rest.includes(o));
				const next = [...rest, ...fresh];
				const wrong = misfit(node.field, next, rec.was[i], this.schema);
				if (wrong) {
					this.fail(rec, c, wrong);
					this.report(rec, c, 'failed', { message: wrong });
					continue;
				}
				const same0 = same(next, options);
				options = next;
				kept.push([c, fresh]);
				this.report(
					rec,
					c,
					fit !== true ? fit : !result.got ? WITHOUT[result.why] : same0 ? 'same value' : 'wrote',
					{ value: now, row: result.row }
				);
				if (!same0) this.write(rec, node, options.length ? options : null, c);
			} catch (e) {
				const { pending, message } = failure(e);
				if (!pending) this.fail(rec, c, message);
				this.report(rec, c, pending ? 'pending' : 'failed', { message });
			}
		}
		for (const [c, given] of kept)
			added.set(
				c.id,
				given.filter((o) => options.includes(o))
			);
	}

	/** What an adding claim gave for the stored values. */
	private gaveBefore(rec: Working, c: Claim): readonly string[] {
		if (!c.rule.moments.includes('changed')) return [];
		if (c.rule.guard && c.guardBefore!(this.env) !== true) return [];
		const r = c.runBefore!(this.env);
		return r.got ? listOf(hold(c.field, r.value)) : [];
	}

	private outrank(rec: Working, node: PlanNode, winner: number) {
		if (!rec.outcomes) return;
		for (let k = winner + 1; k < node.claims.length; k++)
			this.report(rec, node.claims[k], 'outranked', { by: node.claims[winner].id });
	}

	/** A failed Locked or closed claim leaves the stored value; what was sent could not be set by hand. */
	private restore(rec: Working, node: PlanNode, c: Claim) {
		if (c.output.hold !== 'locked' && !c.output.closed) return;
		this.setAside(rec, node, c, rec.was[node.index]);
		this.write(rec, node, rec.was[node.index], c);
	}

	private setAside(rec: Working, node: PlanNode, c: Claim, stands: Value) {
		const { id } = node.field;
		if (!rec.given[node.index] || same(rec.sent[node.index], stands)) return;
		// a value that was there before was not asked for, only sent along
		if (same(rec.sent[node.index], rec.was[node.index])) return;
		const why = c.output.hold === 'locked' ? 'locked' : 'closed';
		rec.out.setAside.push({ field: id, sent: rec.sent[node.index], stands, claim: c.id, why });
	}

	/** The first claim with a result: its hold decides whether it is written. */
	private claim(rec: Working, node: PlanNode, c: Claim, result: BodyResult) {
		const i = node.index;
		const value = result.got ? hold(node.field, result.value, this.currencyOf(rec, node)) : null;
		const more: Partial<ClaimReport> = { value, row: result.row, found: result.found };
		const left = node.limits.length ? this.optionsLeft(rec, node) : null;
		const outside = left && !isBlank(value) && !allowedIn(value, left.ids);
		const wrong = outside
			? `${node.field.label} may not be this now: “${left.by.rule.name}” leaves other options.`
			: misfit(node.field, value, rec.was[i], this.schema);
		if (wrong) {
			this.fail(rec, c, wrong);
			this.report(rec, c, 'failed', { ...more, message: wrong });
			return this.restore(rec, node, c);
		}
		const sent = rec.given[i] === 1;
		switch (c.output.hold) {
			case 'locked':
				return this.claimed(rec, node, c, result, value);
			case 'follow': {
				const triggered = this.triggered(rec, c);
				const kept =
					sent && !c.output.closed && !c.readsOwnSent && rec.stamps[i] > this.cause(rec, c);
				if (triggered && !kept) return this.claimed(rec, node, c, result, value);
				if (c.output.closed && sent) {
					this.setAside(rec, node, c, rec.was[i]);
					this.write(rec, node, rec.was[i], c);
				}
				return this.report(rec, c, triggered ? 'kept' : 'not triggered', more);
			}
			case 'fill':
				if (!isBlank(rec.settled[i])) return this.report(rec, c, 'not blank', more);
				if (sent && !isBlank(rec.was[i])) return this.report(rec, c, 'cleared by hand', more);
				return this.claimed(rec, node, c, result, value);
			case 'once':
				if (!isBlank(rec.settled[i])) return this.report(rec, c, 'given at creation', more);
				return this.claimed(rec, node, c, result, value);
		}
	}

	/** Writes a claim's value and reports it. */
	private claimed(rec: Working, node: PlanNode, c: Claim, result: BodyResult, value: Value) {
		const i = node.index;
		if (c.output.closed || c.output.hold === 'locked') this.setAside(rec, node, c, value);
		rec.stamps[i] = this.cause(rec, c);
		this.write(rec, node, value, c);
		const outcome = !result.got ? 'cleared' : same(value, rec.was[i]) ? 'same value' : 'wrote';
		this.report(rec, c, outcome, { value, row: result.row, found: result.found });
	}

	private write(rec: Working, node: PlanNode, value: Value, c: Claim | Validator) {
		const i = node.index;
		rec.settled[i] = value;
		rec.wrote[i] = c.id;
		rec.changed[i] = same(value, rec.was[i]) ? 0 : 1;
	}

	/** The guard's parts and the values read, where somebody asked. */
	private evidence(rec: Working, c: Claim | Validator | MessageRule): Partial<ClaimReport> {
		if (!rec.outcomes || this.options.explain === 'outcomes') return {};
		return this.env.aside(() => this.seen(rec, c));
	}

	private seen(rec: Working, c: Claim | Validator | MessageRule): Partial<ClaimReport> {
		const at = this.nearby(() => this.setOffAt(rec, c));
		const own = (seen: readonly Seen[]): SeenValue[] =>
			seen.flatMap((r) => {
				const value = this.valueOf(rec, r);
				return value === undefined ? [] : [{ ...r, value }];
			});
		return {
			...('trace' in c && c.trace ? { table: this.traced(c.trace) } : {}),
			guard: c.guardParts.map((p) => {
				this.env.rec = at;
				const result = at ? this.safely(p.run) : null;
				this.env.rec = rec;
				const values = p.reads.flatMap((r) => {
					const value = at ? this.valueOf(at, r) : undefined;
					return value === undefined ? [] : [{ ...r, value }];
				});
				return { text: p.text, result, values };
			}),
			reads: own(c.used)
		};
	}

	/** What a read gave: of the record itself, or of the one record that links lead to; undefined for many. */
	private valueOf(rec: RecordView, r: Seen): Value | undefined {
		if (r.many) return undefined;
		let view: RecordView | null = rec;
		for (const v of r.via) {
			const id: Value = view.settled[this.schema.type(v.type).at.get(v.field)!];
			const { target } = this.schema.field(v.type, v.field)!;
			view = typeof id === 'string' ? this.nearby(() => this.view(target!, id)) : null;
			if (!view) return null;
		}
		const j = this.schema.type(r.type).at.get(r.field);
		return j === undefined ? null : view[r.image][j];
	}

	private traced(trace: NonNullable<Claim['trace']>): TableTrace | undefined {
		try {
			return trace(this.env);
		} catch {
			return undefined;
		}
	}

	private safely(run: (env: Env) => Value): Value {
		try {
			return run(this.env);
		} catch {
			return null;
		}
	}

	private close(rec: Working) {
		const { fields } = this.schema.type(rec.type).type;
		const { changes } = rec.out;
		for (let i = 0; i < rec.changed.length; i++)
			if (rec.changed[i] && (rec.given[i] || rec.wrote[i] !== null))
				changes.push({
					field: fields[i].id,
					from: rec.was[i],
					to: rec.settled[i],
					claim: rec.wrote[i]
				});
		this.validate(rec);
		if (this.options.states) this.env.aside(() => this.states(rec));
		if (!rec.outcomes) return;
		const limits = rec.plan.nodes.flatMap((n) => this.plan.nodes[n].limits);
		for (const c of [
			...rec.plan.nodes.flatMap((n): (Claim | Validator | MessageRule)[] => [
				...this.plan.nodes[n].claims,
				...this.plan.nodes[n].adders
			]),
			...limits,
			...rec.plan.validators,
			...rec.plan.messages.map((n) => this.plan.messages[n - this.plan.nodes.length])
		])
			rec.out.reports.push(
				rec.outcomes.get(c.id) ?? {
					claim: c.id,
					rule: c.rule.id,
					field: c.field.id,
					outcome: 'not triggered'
				}
			);
	}

	/** Which fields only rules may set: the claim that gives the value is Locked or closed to people. */
	private states(rec: Working) {
		this.env.rec = rec;
		const readOnly = new Map<string, string>();
		rec.out.readOnly = readOnly;
		const limited = new Map<string, readonly string[]>();
		rec.out.limited = limited;
		for (const n of rec.plan.nodes) {
			const node = this.plan.nodes[n];
			if (node.limits.length) {
				const left = this.optionsLeft(rec, node);
				if (left) limited.set(node.field.id, left.ids);
				for (const v of node.limits)
					if (v.kind === 'read-only' && this.inEffect(rec, v) === true)
						readOnly.set(node.field.id, v.id);
			}
			if (!node.restricts) continue;
			for (const c of node.claims) {
				this.env.begin(rec);
				try {
					if (this.applies(rec, c) !== true) continue;
					if (!c.run(this.env).got && c.output.none === 'next') continue;
				} catch {
					// what failed or waits holds its field as it is
				}
				if (c.output.hold === 'locked' || c.output.closed) readOnly.set(node.field.id, c.id);
				break;
			}
		}
	}
}

// plain arrays: for so few entries they are made several times faster than typed ones
const zeros = (n: number): number[] => new Array<number>(n).fill(0);
const allowedIn = (v: Value, ids: readonly string[]) =>
	(isList(v) ? v : [v]).every((x) => ids.includes(x as string));
const listOf = (v: Value): readonly string[] =>
	isList(v) ? (v as readonly string[]) : typeof v === 'string' ? [v] : [];
/** What a body without a result is called in a report. */
const WITHOUT = {
	'no row': 'no row',
	blank: 'blank',
	null: 'no result',
	several: 'several rows'
} as const;
const NOT_AT_HAND = 'It reads a record that is not at hand yet.';
const finite = (x: number) => (x === Infinity ? 0 : x);
const NOTHING_RESTRICTED: ReadonlyMap<string, string> = new Map();
const NOTHING_LIMITED: ReadonlyMap<string, readonly string[]> = new Map();
const NONE: ReadonlySet<string> = new Set();
const NOTHING_SENT: Outgoing[] = [];
const DAY_ONE = LocalDate.fromEpochDay(0)!;

/** What formulas run in. The instant is worked out as a moment only where a rule asks. */
class PassEnv implements Env {
	rec: RecordView | null = null;
	input: Value = null;
	vars: Value[] = [];
	steps = 0;
	depth = 0;
	patterns: Set<string> | null = null;
	/** Steps this evaluation was given, and those left to the change beside it. */
	private given = 0;
	private left = CHANGE_STEPS;
	private spent = 0;
	/** Collections that have added to the steps of this evaluation. */
	private counted: Set<string> | null = null;
	private free = false;
	private moment: Moment | null = null;

	constructor(
		readonly zone: string,
		readonly zones: ZoneClock,
		private readonly change: Change,
		private readonly pass: Pass
	) {
		this.left += RECORD_STEPS * change.records.length;
	}

	/** Begins an evaluation at a record: what the last one took is taken from the change. */
	begin(rec: RecordView) {
		if (!this.free) {
			this.left -= this.given - this.steps;
			this.spent += this.given - this.steps;
		}
		this.rec = rec;
		this.given = this.steps = this.free
			? EVALUATION_STEPS
			: Math.max(0, Math.min(EVALUATION_STEPS, this.left));
		this.depth = 0;
		this.patterns = null;
		this.counted = null;
	}

	/** The steps of all evaluations that are over. */
	taken(): number {
		return this.spent + this.given - this.steps;
	}

	/** The change has come to one more record, which adds to its steps. */
	touchesRecord() {
		this.left += RECORD_STEPS;
	}

	/** Does something that only explains: it takes no steps from the change, so that asking alters nothing. */
	aside<T>(f: () => T): T {
		const { rec, input, vars, steps, depth, patterns, given, left, counted, free } = this;
		this.free = true;
		this.given = this.steps = EVALUATION_STEPS;
		this.depth = 0;
		this.patterns = this.counted = null;
		try {
			return f();
		} finally {
			Object.assign(this, { rec, input, vars, steps, depth, patterns, given, left, counted, free });
		}
	}

	get now(): Moment {
		return (this.moment ??=
			Moment.fromInstant(this.change.instant, this.zone, this.zones) ??
			Moment.fromInstant(this.change.instant, 'UTC', this.zones)!);
	}
	get today(): LocalDate {
		return this.now?.date ?? DAY_ONE;
	}
	get person() {
		return this.change.person;
	}
	get entryPoint() {
		return this.change.entryPoint;
	}
	record(type: string, id: string): RecordView | null {
		return this.pass.view(type, id);
	}
	/** What lies behind a link is paid for, once in an evaluation, by an allowance that grows with it. */
	related(type: string, field: string, id: string, image: Image): readonly string[] {
		const ids = this.pass.relatedIds(type, field, id, image);
		const key = `${image} ${type}.${field} ${id}`;
		if (!this.counted?.has(key)) {
			(this.counted ??= new Set()).add(key);
			const more = ids.length * RELATED_STEPS;
			this.steps += more;
			this.given += more;
			this.left += more;
		}
		return ids;
	}
	matching(type: string, keys: readonly MatchKey[]): readonly string[] {
		return this.pass.matching(type, keys);
	}
}
