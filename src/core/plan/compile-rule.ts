/** Compiles one rule: its guard and body into closures, and what they read into triggers and edges. */
import type { Compiled, Read, Run, Step } from '../feel/compile';
import { compileExpression } from '../feel/compile';
import { printExpression } from '../feel/print';
import { compileTemplate, plainText } from '../feel/template';
import type { Expr, Fault } from '../feel/tree';
import type { Ty } from '../feel/types';
import { BOOLEAN } from '../feel/types';
import type { Field, FieldRef, Schema } from '../model/model';
import { refKey } from '../model/model';
import type { Body, Formula, Output, Rule } from '../model/rules';
import { claimId } from '../model/rules';
import { BodyCompiler } from './compile-body';
import { readFormula } from './read-formula';
import type { Claim, GuardPart, Place, Problem, ReachedField, Seen, Validator } from './types';

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
			...(span ? { span: { from: span.from, to: span.to } } : {})
		});
	}

	private formula(f: Formula, place: Place, expected?: Ty, before = false): Compiled | null {
		const r = readFormula(f, { schema: this.schema, type: this.rule.type, expected, before });
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
		const guard = rule.guard && this.formula(rule.guard, 'guard', BOOLEAN);
		const before =
			rule.guard && guard && rule.entering
				? this.formula(rule.guard, 'guard', BOOLEAN, true)
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
		if (!rule.outputs.length) this.problem('outputs', 'This rule writes no field yet.');
		return { guard, before, t: schema.type(rule.type) };
	}

	/** What a rule triggers on, and what must be settled before it. */
	private dependencies(reads: readonly Read[], events: readonly FieldRef[]) {
		const t = this.schema.type(this.rule.type);
		const at = (r: FieldRef) => t.at.get(r.field)!;
		const isOwn = (r: Read) => r.type === this.rule.type && !r.via.length && !r.loose;
		const settled = reads.filter((r) => r.image === 'settled');
		const links = settled.flatMap((r) =>
			r.via.slice(0, 1).filter((v) => !v.back && v.type === this.rule.type)
		);
		let triggers = unique([...settled.filter(isOwn), ...links, ...events].map(at));
		if (this.rule.watch) {
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

	/** The outputs of a Validate rule. */
	validators(): { validator: Validator; edges: string[] }[] {
		const { rule, schema } = this;
		const head = this.head();
		if (!head) return [];
		const { guard, before, t } = head;
		const scope = { schema, type: rule.type };
		const out: { validator: Validator; edges: string[] }[] = [];
		for (const output of rule.outputs) {
			const field = schema.field(rule.type, output.field);
			if (!field) {
				this.problem('outputs', 'The field this rule is about is no longer there.');
				continue;
			}
			const { body } = rule;
			const reads: Read[] = [...(guard?.reads ?? [])];
			const events = [...(guard?.events ?? [])];
			let kind: Validator['kind'] = 'check';
			let holds: Run | null = null;
			let allowed: Validator['allowed'] = null;
			let message: Validator['message'] = () => '';
			let blocking = true;
			if (body.kind === 'check') {
				const c = this.formula(body.holds, 'formula 0', BOOLEAN);
				const m = compileTemplate(body.message, scope);
				for (const f of m.faults) this.problem('message', f.message, f);
				if (!body.message.length)
					this.problem('message', 'Write what is said when it does not hold.');
				if (c) {
					holds = c.run;
					reads.push(...c.reads);
					events.push(...c.events);
				}
				message = (env) => plainText(m.pieces(env));
				blocking = body.blocking;
			} else if (body.kind === 'state') {
				kind = body.state;
				if (kind === 'limited') allowed = this.fixedOptions(field, body.options);
				message = () =>
					kind === 'required'
						? `${field.label} is required.`
						: `${field.label} cannot be changed now.`;
				if (kind === 'required')
					reads.push({ type: rule.type, field: field.id, image: 'settled', via: [], many: false });
			} else if (body.kind === 'allowed') {
				kind = 'limited';
				allowed = this.allowedBy(field, body, reads);
			} else {
				this.problem('outputs', 'A Validate rule checks or limits a field; it writes none.');
				continue;
			}
			const { triggers, triggersSent, edges } = this.dependencies(reads, events);
			if (
				(kind === 'limited' || kind === 'read-only') &&
				edges.includes(refKey(rule.type, field.id))
			)
				this.problem('guard', `What ${field.label} may be cannot depend on ${field.label} itself.`);
			out.push({
				validator: {
					id: claimId(rule.id, output.id),
					rule,
					field,
					target: t.at.get(field.id)!,
					kind,
					guard: guard?.run ?? null,
					guardBefore: before?.run ?? null,
					guardParts: guard ? this.parts(guard.expr) : [],
					holds,
					allowed,
					message,
					blocking,
					always: 'always' in body && body.always,
					triggers,
					triggersSent,
					reads: dedupe(reads),
					used: dedupe(reads.slice(guard?.reads.length ?? 0))
				},
				edges
			});
		}
		return out;
	}

	private fixedOptions(field: Field, options: string[]): Validator['allowed'] {
		if (!field.list) {
			this.problem('outputs', `${field.label} has no options to limit.`);
			return null;
		}
		for (const o of options)
			if (!this.schema.option(field.list, o))
				this.problem('input', `${field.label} has no option “${o}”.`);
		if (!options.length) this.problem('input', 'Choose the options that are left.');
		return () => options;
	}

	private allowedBy(
		field: Field,
		body: Body & { kind: 'allowed' },
		reads: Read[]
	): Validator['allowed'] {
		const { rule, schema } = this;
		const source = schema.field(rule.type, body.input);
		const i = schema.type(rule.type).at.get(body.input);
		if (!source || i === undefined || source.type !== 'choice') {
			this.problem('input', 'Choose the choice that limits it.');
			return null;
		}
		for (const [key, options] of Object.entries(body.rows)) {
			if (!schema.option(source.list!, key))
				this.problem('input', `${source.label} has no option “${key}”.`);
			this.fixedOptions(field, options);
		}
		reads.push({ type: rule.type, field: source.id, image: 'settled', via: [], many: false });
		return (env) => {
			const v = env.rec!.settled[i];
			return typeof v === 'string' ? (body.rows[v] ?? null) : null;
		};
	}

	claims(): Made[] {
		const { rule, schema } = this;
		const head = this.head();
		if (!head) return [];
		const { guard, before, t } = head;
		const made: Made[] = [];
		const bodies = new BodyCompiler(schema, rule, (place, message, span) =>
			this.problem(place, message, span)
		);
		const fields = rule.outputs.map((o) => schema.field(rule.type, o.field));
		bodies.prepare(fields);
		rule.outputs.forEach((output, i) => {
			const field = schema.field(rule.type, output.field);
			const target = t.at.get(output.field);
			if (!field || target === undefined) {
				this.problem('outputs', 'The field this rule writes is no longer there.');
				return;
			}
			const body = bodies.output(i, field);
			if (!body) return;
			const reads = [...(guard?.reads ?? []), ...body.reads];
			const events = [...(guard?.events ?? []), ...body.events];
			const own = refKey(rule.type, output.field);
			const { triggers, triggersSent, edges, reached } = this.dependencies(reads, events);
			if (edges.includes(own)) {
				this.problem(
					rule.body.kind === 'formula' ? `formula ${i}` : 'input',
					`This reads ${field.label}, the field it writes. Read was.${field.label.toLowerCase()} (before the change) or sent.${field.label.toLowerCase()} (what was entered).`
				);
				return;
			}
			const outside = new Set([...(guard?.outside ?? []), ...body.outside]);
			const eventful =
				rule.entering ||
				outside.has('now') ||
				reads.some((r) => r.image !== 'settled') ||
				events.length > 0;
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
					guardParts: guard ? this.parts(guard.expr) : [],
					run: body.run,
					runBefore: earlier?.body?.run ?? null,
					trace: body.trace ?? null,
					triggers,
					triggersSent,
					reads: dedupe(reads),
					used: dedupe(body.reads),
					reached,
					readsOwnSent: triggersSent.includes(target),
					eventful,
					...this.ofGuard(guard)
				},
				edges
			});
		});
		return made;
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
		const { rule, schema } = this;
		const say = (m: string) =>
			this.problem('outputs', `${field.label} is added to by this rule. ${m}`);
		if (field.type !== 'choices') say('Only a multi-choice can be added to.');
		if (output.hold !== 'follow' || output.closed) say('So it follows and stays open to people.');
		if (eventful || outside.size || rule.watch)
			say('So the rule may read settled values only, and watches all that it reads.');
		const bodies = new BodyCompiler(schema, rule, () => {}, true);
		bodies.prepare(rule.outputs.map((o) => schema.field(rule.type, o.field)));
		return {
			guard: rule.guard && this.formula(rule.guard, 'guard', BOOLEAN, true),
			body: bodies.output(i, field)
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
		if (reads.some((r) => r.loose) && !outside.has('person'))
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
		if (rule.watch) say('So its watched fields cannot be narrowed; use Follow.');
		if (rule.entryPoints || rule.moments.length < 3)
			say('So it holds on every entry point and at every moment; use Follow to narrow it.');
		if (output.none === 'leave')
			say('So without a result it passes on or clears; it cannot leave the field.');
	}

	private parts(expr: Expr): GuardPart[] {
		const out: GuardPart[] = [];
		const visit = (e: Expr) => {
			if (e.k === 'and' || e.k === 'or') e.items.forEach(visit);
			else if (e.k === 'call' && e.fn === 'not' && e.args.length === 1) visit(e.args[0]);
			else {
				const { text, expr: shown } = printExpression(e, this.schema);
				const c = compileExpression(shown, {
					schema: this.schema,
					type: this.rule.type,
					expected: BOOLEAN
				});
				out.push({ text, run: c.run, reads: dedupe(c.reads) });
			}
		};
		visit(expr);
		return out;
	}
}

const unique = (xs: number[]) => [...new Set(xs)];

/**
 * Fields of other records that a rule depends on, with the way to each: those it reads, and the links
 * on the way. Their change makes the rule run at the record where the way begins.
 */
function reachedBy(reads: readonly Read[]): ReachedField[] {
	const out = new Map<string, ReachedField>();
	const add = (type: string, field: string, via: readonly Step[]) => {
		const key = [type, field, ...via.flatMap((v) => [v.type, v.field, v.back])].join('.');
		out.set(key, { type, field, via: [...via] });
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
