/** Compiles one rule: its guard and body into closures, and what they read into triggers and edges. */
import type { Compiled, Read, Step } from '../feel/env';
import { compileExpression } from '../feel/compile';
import { compileTemplate } from '../feel/template';
import type { Expr, Fault } from '../document/tree';
import type { Ty } from '../feel/types';
import { sayCondition, sayPlain } from '../conditions/words';
import { conditionLeaves, conditionList, rowTree } from '../conditions/list';
import { BOOLEAN } from '../feel/types';
import type { Field, FieldRef, Schema } from '../document/model';
import { refKey } from '../document/model';
import type { Formula, Output, Rule } from '../document/rules';
import { MESSAGES, claimId } from '../document/rules';
import { fromJson } from '../fields/codec';
import { judgeOf, senderOf, writerOf } from '../kinds';
import type { Compiling, Place } from '../kinds/spec';
import { readFormula } from '../feel/read-formula';
import type {
	Claim,
	GuardPart,
	MessageRule,
	Parts,
	Problem,
	ReachedField,
	Seen,
	Validator
} from './types';
import { wayKey } from './types';
import { spell } from '../text/names';

/** What the guard of a claim depends on: a claim below moves on when it lets go. */
export interface OfGuard {
	guardReads: number[];
	guardReached: ReachedField[];
}

/** A claim and what must be settled before it. */
export interface Made {
	claim: Claim & OfGuard;
	/** Fields (`type.field`) whose settled values must be there first. */
	edges: string[];
}

/** Compiles one rule. What is wrong is added to `problems`; a rule with problems is left out whole. */
export class RuleCompiler {
	constructor(
		private readonly schema: Schema,
		private readonly rule: Rule,
		private readonly problems: Problem[]
	) {}

	private problem(place: Place, message: string, span?: Fault) {
		this.problems.push({
			rule: this.rule.id,
			place,
			message,
			...(span?.open ? { open: true as const } : {}),
			...(span ? { span: { from: span.from, to: span.to } } : {})
		});
	}

	/** The record type at which the rule is set off: its own, or the one its `each` link points to. */
	private get setOffAt(): string {
		const { rule, schema } = this;
		return (rule.each && schema.field(rule.type, rule.each)?.target) || rule.type;
	}

	private formula(
		f: Formula,
		place: Place,
		expected?: Ty,
		before = false,
		type = this.rule.type
	): Compiled | null {
		const r = readFormula(f, { schema: this.schema, type, expected, before });
		for (const fault of r.faults) this.problem(place, fault.message, fault);
		return r.faults.length ? null : r.compiled;
	}

	/** Guard and record type, shared by every output. Null when there is nothing to go on with. */
	private head() {
		const { rule, schema } = this;
		if (!schema.types.has(rule.type)) {
			this.problem('outputs', 'The record type of this rule is no longer there.');
			return null;
		}
		if (rule.each && schema.field(rule.type, rule.each)?.type !== 'link')
			this.problem('each', 'Choose the link to the record that sets it off.');
		const at = this.setOffAt;
		const guard = rule.guard && this.formula(rule.guard, 'guard', BOOLEAN, false, at);
		const before =
			rule.guard && guard && rule.entering
				? this.formula(rule.guard, 'guard', BOOLEAN, true, at)
				: null;
		if (rule.entering && !rule.guard)
			this.problem('guard', 'A rule that applies on entering needs a guard.');
		if (
			rule.entering &&
			guard &&
			(guard.reads.some((r) => r.image === 'was') || guard.events.length)
		)
			this.problem(
				'guard',
				'On entering compares before and after by itself; its guard cannot read was. or changed().'
			);
		if (!rule.outputs.length && !senderOf(rule.body))
			this.problem('outputs', 'This rule writes no field yet.');
		return { guard, before, t: schema.type(rule.type) };
	}

	/** What a rule triggers on, and what must be settled before it. */
	private dependencies(reads: readonly Read[], events: readonly FieldRef[], away = false) {
		const t = this.schema.type(this.rule.type);
		const at = (r: FieldRef) => t.at.get(r.field)!;
		const isOwn = (r: Read) => r.type === this.rule.type && !r.via.length && !r.loose;
		const settled = reads.filter((r) => r.image === 'settled');
		const links = settled.flatMap((r) =>
			r.via.slice(0, 1).filter((v) => !v.back && v.type === this.rule.type)
		);
		let triggers = unique([...settled.filter(isOwn), ...links, ...events].map(at));
		if (this.rule.watch && !away) {
			triggers = [];
			for (const id of this.rule.watch) {
				const j = t.at.get(id);
				if (j === undefined) this.problem('watch', 'A watched field is no longer there.');
				else triggers.push(j);
			}
		}
		return {
			triggers,
			triggersSent: unique(reads.filter((r) => r.image === 'sent' && isOwn(r)).map(at)),
			edges: settled.flatMap((r) => [
				refKey(r.type, r.field),
				...r.via.map((v) => refKey(v.type, v.field))
			]),
			reached: reachedBy(settled)
		};
	}

	/**
	 * What sets off a rule that is done for each record that points to another: changes at that other
	 * record, never at the one it writes.
	 */
	private setOff(link: string, guard: Compiled | null) {
		const { rule, schema } = this;
		const step: Step = { type: rule.type, field: link, back: false };
		const at = schema.type(this.setOffAt);
		const away = (r: Read): Read => ({ ...r, via: [step, ...r.via] });
		const reads = (guard?.reads ?? []).map(away);
		const watched = rule.watch ?? [
			...(guard?.reads ?? []).filter((r) => !r.via.length && r.image !== 'was').map((r) => r.field),
			...(guard?.events ?? []).map((e) => e.field)
		];
		if (!watched.length && !reads.length)
			this.problem('watch', 'Say what sets it off: a condition, or the fields that are watched.');
		const reached = watched.flatMap((field): ReachedField[] =>
			at.at.has(field)
				? [{ type: at.type.id, field, via: [step], key: wayKey(at.type.id, field, [step]) }]
				: []
		);
		if (reached.length < watched.length)
			this.problem('watch', 'A watched field is no longer there.');
		if (!rule.watch) reached.push(...reachedBy(reads.filter((r) => r.image === 'settled')));
		return { reads, reached: reached.filter((r) => r.via.length) };
	}

	/** What the kind of a body is compiled with. @param quiet keeps faults back that are told already */
	private compiling(before = false, quiet = false): Compiling {
		const { rule, schema } = this;
		const problem: Compiling['problem'] = (place, message, span) => {
			if (!quiet) this.problem(place, message, span);
		};
		const unsaid: Compiling['unsaid'] = (place, message) =>
			problem(place, message, { message, from: 0, to: 0, open: true });
		return {
			schema,
			rule,
			fields: rule.outputs.map((o) => schema.field(rule.type, o.field)),
			before,
			problem,
			unsaid,
			formula: (f, place, expected, type = rule.type) => {
				const r = readFormula(f ?? { text: '' }, { schema, type, expected, before });
				for (const fault of r.faults) problem(place, fault.message, fault);
				return r.faults.length ? null : r.compiled;
			},
			text: (t, place, missing, type = rule.type) => {
				const c = compileTemplate(t ?? [], { schema, type, before });
				for (const fault of c.faults) problem(place, fault.message, fault);
				if (!t?.length) unsaid(place, missing);
				return c;
			},
			constant: (json, field, place) => {
				const r = fromJson(field, json, schema);
				if (r.ok) return r.value;
				problem(place, r.message);
				return null;
			}
		};
	}

	/** The outputs of a Validate rule. */
	validators(): { validator: Validator; edges: string[] }[] {
		const { rule, schema } = this;
		const head = this.head();
		if (!head) return [];
		const { guard, before, t } = head;
		if (rule.each)
			this.problem(
				'each',
				'A check is about the record itself; read the other one through its link.'
			);
		const kind = judgeOf(rule.body);
		const out: { validator: Validator; edges: string[] }[] = [];
		for (const output of rule.outputs) {
			const field = schema.field(rule.type, output.field);
			if (!field) {
				this.problem('outputs', 'The field this rule is about is no longer there.');
				continue;
			}
			if (!kind) {
				this.problem('outputs', 'A Validate rule checks or limits a field; it writes none.');
				continue;
			}
			const judged = kind.compile(rule.body, this.compiling(), field);
			if (!judged) continue;
			const { reads: used, events: happened, asked, ...judgement } = judged;
			const reads = [...(guard?.reads ?? []), ...used];
			const events = [...(guard?.events ?? []), ...happened];
			const { triggers, triggersSent, edges } = this.dependencies(reads, events);
			if (
				(judged.kind === 'limited' || judged.kind === 'read-only') &&
				edges.includes(refKey(rule.type, field.id))
			)
				this.problem('guard', `What ${field.label} may be cannot depend on ${field.label} itself.`);
			out.push({
				validator: {
					...judgement,
					id: claimId(rule.id, output.id),
					rule,
					field,
					target: t.at.get(field.id)!,
					guard: guard?.run ?? null,
					guardBefore: before?.run ?? null,
					guardParts: this.parts(guard?.expr),
					askedParts: this.parts(asked ?? undefined),
					triggers,
					triggersSent,
					reads: dedupe(reads),
					used: dedupe(used)
				},
				edges
			});
		}
		return out;
	}

	claims(): Made[] {
		const { rule, schema } = this;
		const head = this.head();
		if (!head) return [];
		const { guard, before, t } = head;
		const made: Made[] = [];
		const kind = writerOf(rule.body);
		if (!kind) {
			this.problem('outputs', 'Only a Validate rule can check or limit a field.');
			return [];
		}
		const bodyOf = kind.compile(rule.body, this.compiling());
		rule.outputs.forEach((output, i) => {
			const field = schema.field(rule.type, output.field);
			const target = t.at.get(output.field);
			if (!field || target === undefined) {
				this.problem('outputs', 'The field this rule writes is no longer there.');
				return;
			}
			const body = bodyOf?.(i, field);
			if (!body) return;
			const off = rule.each ? this.setOff(rule.each, guard) : null;
			const reads = [...(off?.reads ?? guard?.reads ?? []), ...body.reads];
			const events = [...(off ? [] : (guard?.events ?? [])), ...body.events];
			const own = refKey(rule.type, output.field);
			const { triggers, triggersSent, edges, reached } = off
				? { ...this.dependencies(reads, events, true), triggers: [], triggersSent: [], ...off }
				: this.dependencies(reads, events);
			if (edges.includes(own)) {
				this.problem(
					kind.place(i) === 'outputs' ? 'input' : kind.place(i),
					`This reads ${field.label}, the field it writes. Read was.${spell(field.label)} (before the change) or sent.${spell(field.label)} (what was entered).`
				);
				return;
			}
			const outside = new Set([...(guard?.outside ?? []), ...body.outside]);
			const eventful =
				rule.entering ||
				outside.has('now') ||
				reads.some((r) => r.image !== 'settled') ||
				events.length + (guard?.events.length ?? 0) > 0 ||
				(output.hold === 'follow' && !rule.each && this.stamps(reads, body));
			if (output.hold === 'locked') this.checkLocked(output, field, reads, outside, eventful);
			const earlier = output.adds ? this.earlier(output, i, field, eventful, outside) : null;
			made.push({
				claim: {
					id: claimId(rule.id, output.id),
					rule,
					output,
					target,
					field,
					guard: guard?.run ?? null,
					guardBefore: (before ?? earlier?.guard)?.run ?? null,
					guardParts: this.parts(guard?.expr, this.setOffAt),
					run: body.run,
					runBefore: earlier?.body?.run ?? null,
					branches: once(() => (body.chooses ?? []).map((e) => this.part(e))),
					trace: body.trace ?? null,
					triggers,
					triggersSent,
					reads: dedupe(reads),
					used: dedupe(body.reads),
					reached,
					readsOwnSent: triggersSent.includes(target),
					eventful,
					outside,
					each: rule.each ? t.at.get(rule.each)! : -1,
					...(off ? { guardReads: [], guardReached: off.reached } : this.ofGuard(guard))
				},
				edges
			});
		});
		return made;
	}

	/**
	 * Whether a value only says that something changed: the day by itself, or what depends on none of the fields
	 * that set it going.
	 */
	private stamps(
		reads: readonly Seen[],
		body: { reads: readonly Seen[]; outside: ReadonlySet<string> }
	) {
		if (body.outside.has('today') && !body.reads.length) return true;
		const { watch, type } = this.rule;
		const read = new Set(reads.map((r) => refKey(r.type, r.field)));
		return !!watch?.length && !watch.some((f) => read.has(refKey(type, f)));
	}

	/** A rule that sends messages. */
	message(): MessageRule | null {
		const { rule } = this;
		const before = this.problems.length;
		const head = this.head();
		const kind = senderOf(rule.body);
		if (!head || !kind) return null;
		const { guard } = head;
		const sending = kind.compile(rule.body, this.compiling());
		const { triggers, triggersSent, reached } = this.dependencies(
			guard?.reads ?? [],
			guard?.events ?? []
		);
		if (!sending || this.problems.length > before) return null;
		return {
			...sending,
			id: claimId(rule.id, 'message'),
			rule,
			field: { id: MESSAGES, label: 'Messages', group: '', type: 'text' },
			guard: guard?.run ?? null,
			guardBefore: head.before?.run ?? null,
			guardParts: this.parts(guard?.expr),
			triggers,
			triggersSent,
			reached,
			reads: dedupe(guard?.reads ?? []),
			used: [],
			eventful: true
		};
	}

	private ofGuard(guard: Compiled | null): OfGuard {
		if (!guard) return { guardReads: [], guardReached: [] };
		const { triggers, reached } = this.dependencies(guard.reads, guard.events);
		return { guardReads: triggers, guardReached: reached };
	}

	/** Guard and body as they were before the change: what an adding claim gave then is what it withdraws. */
	private earlier(
		output: Output,
		i: number,
		field: Field,
		eventful: boolean,
		outside: ReadonlySet<string>
	) {
		const { rule } = this;
		const say = (m: string) =>
			this.problem('outputs', `${field.label} is added to by this rule. ${m}`);
		if (field.type !== 'choices') say('Only a multi-choice can be added to.');
		if (output.hold !== 'follow' || output.closed) say('So it follows and stays open to people.');
		if (rule.each) say('So it cannot be set off at another record.');
		if (eventful || outside.size || rule.watch)
			say('So the rule may read settled values only, and watches all that it reads.');
		const bodyOf = writerOf(rule.body)?.compile(rule.body, this.compiling(true, true));
		return {
			guard: rule.guard && this.formula(rule.guard, 'guard', BOOLEAN, true),
			body: bodyOf?.(i, field)
		};
	}

	/** A Locked field always equals its claim, so the claim may depend on settled values only. */
	private checkLocked(
		output: Output,
		field: Field,
		reads: { image: string; loose?: boolean }[],
		outside: Set<string>,
		eventful: boolean
	) {
		const { rule } = this;
		const unsteady = writerOf(rule.body)?.unsteady(field.label);
		if (unsteady) this.problem('outputs', unsteady);
		else if (reads.some((r) => r.loose) && !outside.has('person'))
			this.problem(
				'outputs',
				`${field.label} is Locked, and this reads records on a way that cannot be followed backwards; name the links one by one.`
			);
		const say = (m: string) =>
			this.problem('outputs', `${field.label} is Locked: it always equals this rule. ${m}`);
		if (
			eventful ||
			reads.some((r) => r.image !== 'settled') ||
			outside.has('today') ||
			outside.has('person') ||
			outside.has('entry point')
		)
			say(
				'So the rule may read settled values only, not was., sent., now, today, the person or the entry point; use Follow.'
			);
		if (rule.each || rule.submittedOnly)
			say('So it cannot wait for an event at another record or leave records out; use Follow.');
		if (rule.watch) say('So its watched fields cannot be narrowed; use Follow.');
		if (rule.entryPoints || rule.moments.length < 3)
			say('So it holds on every entry point and at every moment; use Follow to narrow it.');
		if (output.none === 'leave')
			say('So without a result it passes on or clears; it cannot leave the field.');
	}

	/** A condition by itself, with what it reads; a field that it asks about has moved from a value to another. */
	private part(e: Expr, type = this.rule.type): GuardPart {
		const text = sayCondition(e, this.schema, (f, v) => sayPlain(f, v, this.schema));
		const c = compileExpression(e, { schema: this.schema, type, expected: BOOLEAN });
		const before = c.events.map((f): Read => ({ ...f, image: 'was', via: [], many: false }));
		return { text, expr: e, run: c.run, reads: dedupe([...before, ...c.reads]) };
	}

	/** The rows of a condition, as its list shows them; compiled when they are first asked for. */
	private parts(expr: Expr | undefined, type = this.rule.type): Parts {
		if (!expr) return NO_PARTS;
		return once(() =>
			conditionLeaves(conditionList(expr, this.schema)).map((leaf) =>
				this.part(leaf.k === 'row' ? rowTree(leaf) : leaf.of, type)
			)
		);
	}
}

const NO_PARTS: Parts = () => [];

/** What is made when it is first asked for, and kept. */
function once<T>(make: () => T): () => T {
	let made: T | undefined;
	return () => (made ??= make());
}

const unique = (xs: number[]) => [...new Set(xs)];

/**
 * Fields of other records that a rule depends on, with the way to each: those it reads, and the links
 * on the way. Their change makes the rule run at the record where the way begins.
 */
function reachedBy(reads: readonly Read[]): ReachedField[] {
	const out = new Map<string, ReachedField>();
	const add = (type: string, field: string, via: readonly Step[]) => {
		const key = wayKey(type, field, via);
		out.set(key, { type, field, via: [...via], key });
	};
	for (const r of reads) {
		if (r.loose || r.param !== undefined) continue;
		r.via.forEach((v, i) => {
			// a link back is a field of the records it leads to; a link onwards one of those before it
			if (v.back) add(v.type, v.field, r.via.slice(0, i + 1));
			else if (i > 0) add(v.type, v.field, r.via.slice(0, i));
		});
		if (r.via.length) add(r.type, r.field, r.via);
	}
	return [...out.values()];
}

function dedupe(reads: readonly Read[]): Seen[] {
	const seen = new Map<string, Seen>();
	for (const r of reads) {
		if (r.loose || r.param !== undefined) continue;
		const { type, field, image, via, many } = r;
		const key = [image, type, field, ...via.flatMap((v) => [v.type, v.field, v.back])].join('.');
		seen.set(key, { type, field, image, via, many });
	}
	return [...seen.values()];
}
