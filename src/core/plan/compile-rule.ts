/** Compiles one rule: its guard and body into closures, and what they read into triggers and edges. */
import type { Compiled, Read, Run } from '../feel/compile';
import { compileExpression } from '../feel/compile';
import { printExpression } from '../feel/print';
import { compileTemplate } from '../feel/template';
import type { Expr, Fault } from '../feel/tree';
import type { Ty } from '../feel/types';
import { ANY, BOOLEAN, typeOfField } from '../feel/types';
import type { JsonValue } from '../model/codec';
import { fromJson } from '../model/codec';
import type { Field, FieldRef, Schema } from '../model/model';
import { refKey } from '../model/model';
import type { Blank, Body, Formula, Output, Rule } from '../model/rules';
import { claimId } from '../model/rules';
import type { Num } from '../value/num';
import type { LocalDate } from '../value/temporal';
import type { Value } from '../value/value';
import { order } from '../value/value';
import { bandOf } from './bands';
import { readFormula } from './read-formula';
import type { BodyResult, Claim, GuardPart, Place, Problem, Seen, Validator } from './types';

/** A claim and what must be settled before it. */
export interface Made {
	claim: Claim & { guardReads: number[] };
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
		const isOwn = (r: Read) => r.type === this.rule.type && !r.via.length;
		const settled = reads.filter((r) => r.image === 'settled');
		const links = settled.flatMap((r) =>
			r.via.filter((v) => v.type === this.rule.type).slice(0, 1)
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
			])
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
				message = m.run;
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
		rule.outputs.forEach((output, i) => {
			const field = schema.field(rule.type, output.field);
			const target = t.at.get(output.field);
			if (!field || target === undefined) {
				this.problem('outputs', 'The field this rule writes is no longer there.');
				return;
			}
			const body = this.body(rule.body, i, field);
			if (!body) return;
			const reads = [...(guard?.reads ?? []), ...body.reads];
			const events = [...(guard?.events ?? []), ...body.events];
			const own = refKey(rule.type, output.field);
			const { triggers, triggersSent, edges } = this.dependencies(reads, events);
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
			made.push({
				claim: {
					id: claimId(rule.id, output.id),
					rule,
					output,
					target,
					field,
					guard: guard?.run ?? null,
					guardBefore: before?.run ?? null,
					guardParts: guard ? this.parts(guard.expr) : [],
					run: body.run,
					triggers,
					triggersSent,
					reads: dedupe(reads),
					used: dedupe(body.reads),
					readsOwnSent: triggersSent.includes(target),
					eventful,
					guardReads: guard ? this.dependencies(guard.reads, guard.events).triggers : []
				},
				edges
			});
		});
		return made;
	}

	/** A Locked field always equals its claim, so the claim may depend on settled values only. */
	private checkLocked(
		output: Output,
		field: Field,
		reads: { image: string }[],
		outside: Set<string>,
		eventful: boolean
	) {
		const { rule } = this;
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

	private constant(json: JsonValue, field: Field, place: Place): Value {
		const r = fromJson(field, json, this.schema);
		if (r.ok) return r.value;
		this.problem(place, r.message);
		return null;
	}

	private blank(blank: Blank, i: number, field: Field): BodyResult {
		if (blank && 'give' in blank) {
			const value = this.constant(blank.give[i] ?? null, field, 'blank');
			return value === null
				? { got: false, why: 'blank', row: 'blank' }
				: { got: true, value, row: 'blank' };
		}
		return { got: false, why: 'blank', row: 'blank' };
	}

	private body(
		body: Body,
		i: number,
		field: Field
	): (Pick<Compiled, 'reads' | 'events' | 'outside'> & { run: Claim['run'] }) | null {
		switch (body.kind) {
			case 'formula': {
				const c = this.formula(
					body.formulas[i] ?? { text: '' },
					`formula ${i}`,
					typeOfField(field)
				);
				if (!c) return null;
				const run: Claim['run'] = (env) => {
					const value = c.run(env);
					return value === null ? { got: false, why: 'null' } : { got: true, value };
				};
				return { ...c, run };
			}
			case 'bands':
				return this.bands(body, i, field);
			case 'options':
				return this.options(body, i, field);
			case 'check':
			case 'state':
			case 'allowed':
				this.problem('outputs', 'Only a Validate rule can check or limit a field.');
				return null;
		}
	}

	private bands(body: Body & { kind: 'bands' }, i: number, field: Field) {
		const input = this.formula(body.input, 'input');
		if (!input) return null;
		const { ty } = input;
		if (ty.t !== 'number' && ty.t !== 'date' && ty.t !== 'any') {
			this.problem('input', 'Bands part numbers, amounts or dates.');
			return null;
		}
		const limitField: Field = {
			id: 'limit',
			label: 'The limit',
			group: '',
			type: ty.t === 'date' ? 'date' : 'number'
		};
		const limits = body.limits.map((l, k) => ({
			at: this.constant(l.at, limitField, `result ${k}`),
			above: l.belongs === 'above'
		}));
		for (let k = 1; k < limits.length; k++) {
			const o = order(limits[k - 1].at, limits[k].at);
			if (o === null || o > 0 || (o === 0 && !(limits[k - 1].above && !limits[k].above)))
				this.problem(
					`result ${k}`,
					`The limits must rise: ${body.limits[k].at} stands behind ${body.limits[k - 1].at}.`
				);
		}
		if (body.results.length !== limits.length + 1) {
			this.problem('input', 'There must be one band more than there are limits.');
			return null;
		}
		const results = body.results.map((r, k): BodyResult => {
			if (!r) return { got: false, why: 'no row', row: k };
			const value = this.constant(r[i] ?? null, field, `result ${k}`);
			return value === null ? { got: false, why: 'null', row: k } : { got: true, value, row: k };
		});
		const blank = this.blank(body.blank, i, field);
		const run: Claim['run'] = (env) => {
			const v = input.run(env);
			if (v === null) return blank;
			return results[bandOf(v as Num | LocalDate, limits)];
		};
		return { ...input, run };
	}

	private options(body: Body & { kind: 'options' }, i: number, field: Field) {
		const source = this.schema.field(this.rule.type, body.input);
		if (!source) {
			this.problem('input', 'The field this rule maps from is not chosen or no longer there.');
			return null;
		}
		if (source.type !== 'choice' && source.type !== 'yesno') {
			this.problem('input', `${source.label} is neither a choice nor yes/no.`);
			return null;
		}
		const rows = new Map<string, BodyResult>();
		for (const [key, r] of Object.entries(body.rows)) {
			if (source.type === 'choice' && !this.schema.option(source.list!, key)) {
				this.problem('input', `${source.label} has no option “${key}”.`);
				continue;
			}
			const value = this.constant(r[i] ?? null, field, `result ${0}`);
			rows.set(
				key,
				value === null ? { got: false, why: 'null', row: key } : { got: true, value, row: key }
			);
		}
		const blank = this.blank(body.blank, i, field);
		const expr: Expr = { k: 'field', image: 'settled', type: this.rule.type, field: source.id };
		const c = compileExpression(expr, { schema: this.schema, type: this.rule.type, expected: ANY });
		const run: Claim['run'] = (env) => {
			const v = c.run(env);
			if (v === null) return blank;
			return rows.get(String(v)) ?? { got: false, why: 'no row', row: String(v) };
		};
		return { ...c, run };
	}
}

const unique = (xs: number[]) => [...new Set(xs)];

function dedupe(reads: readonly Read[]): Seen[] {
	const seen = new Map<string, Seen>();
	for (const { type, field, image } of reads)
		seen.set(`${image} ${refKey(type, field)}`, { type, field, image });
	return [...seen.values()];
}
