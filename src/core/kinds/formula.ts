/** One formula for each output. */
import type { Field, Schema } from '../document/model';
import type { Formula } from '../document/rules';
import type { Expr } from '../document/tree';
import type { Run } from '../feel/env';
import { walkInlined } from '../feel/inline';
import { typeOfField } from '../feel/types';
import { sameSpot, spotOf, type Spot } from '../spots/cells';
import { Num, num } from '../value/num';
import { LocalDate, Moment } from '../value/temporal';
import { isBlank, type Value } from '../value/value';
import { blankOtherwise } from './altered';
import { blankInput, blankResult } from './blank';
import type { Altered, BodyOf, Compiling, Given, Offer, Writes } from './spec';
import { none } from './spec';
import { blankCarried } from './carried';
import { computedFrom, isBlank as blankIs, saidBlank } from './words';

const squeezed = (f: Formula): Formula =>
	'expr' in f
		? { expr: { k: 'call', fn: 'squeeze', args: [f.expr] } }
		: { text: `squeeze(${f.text})` };

/** The conditions of `if … then … else if …`, in order. */
function conditionsOf(e: Expr): Expr[] {
	return e.k === 'if' ? [e.c, ...conditionsOf(e.e)] : [];
}

/** The fields of the record, or behind its links, that an expression reads as they are, each once, with the expression that reads it. */
function readsOf(e: Expr, schema: Schema): { spot: Spot; expr: Expr }[] {
	const out: { spot: Spot; expr: Expr }[] = [];
	walkInlined(e, schema, (x) => {
		const spot = x.k === 'field' || x.k === 'through' ? spotOf(x, schema) : null;
		if (!spot) return true;
		if (!out.some((o) => sameSpot(o.spot, spot))) out.push({ spot, expr: x as Expr });
		return false;
	});
	return out;
}

/** Whether an expression asks by itself whether a field is blank: then its author has decided. */
function asksWhetherBlank(e: Expr, spot: Spot, schema: Schema): boolean {
	let asks = false;
	const is = (x: Expr) => {
		const s = spotOf(x, schema);
		return !!s && sameSpot(s, spot);
	};
	walkInlined(e, schema, (x) => {
		if (x.k === 'call' && x.fn === 'is blank' && x.args.some(is)) asks = true;
		if (x.k === 'bin' && (x.op === '=' || x.op === '!=')) {
			if (x.a.k === 'null' && is(x.b)) asks = true;
			if (x.b.k === 'null' && is(x.a)) asks = true;
		}
	});
	return asks;
}

/**
 * The fields whose blank nobody has decided about: read by a formula that does not ask for the blank
 * itself, and not the field that it writes.
 */
export function undecidedReads(
	e: Expr,
	own: { type: string; field: string },
	schema: Schema
): Spot[] {
	return readsOf(e, schema)
		.map((r) => r.spot)
		.filter((s) => s.via.length > 0 || s.type !== own.type || s.field.id !== own.field)
		.filter((s) => !asksWhetherBlank(e, s, schema));
}

/** An ordinary value of a field, for which any other that is not blank may stand. */
function ordinary(spot: Spot, schema: Schema): Given[] {
	const { field } = spot;
	const open = field.list ? schema.lists.get(field.list)!.options.filter((o) => !o.retired) : [];
	const values: Partial<Record<Field['type'], Value>> = {
		yesno: true,
		choice: open[0]?.id ?? null,
		choices: open.slice(0, 1).map((o) => o.id),
		email: 'ann@fen.example',
		phone: '+31 20 794 0311',
		date: LocalDate.parse('2026-11-02'),
		moment: Moment.parse('2026-11-02T09:00:00Z'),
		link: '1',
		text: 'Any text'
	};
	const value = field.type in values ? (values[field.type] ?? null) : num(2);
	if (value === null) return [];
	return [
		{
			spot,
			value,
			...(value instanceof Num ? { constants: [value] } : {}),
			alike: (v) => v !== null
		}
	];
}

/** Whether something that a formula reads is blank. */
function someBlank(e: Expr, c: Compiling, place: `formula ${number}`): Run {
	const reads = readsOf(e, c.schema).flatMap(({ expr }) => c.formula({ expr }, place)?.run ?? []);
	return (env) => reads.some((run) => isBlank(run(env)));
}

export const formula: Writes<BodyOf<'formula'>> = {
	does: 'writes',
	offers: ({ schema, type, field }) => {
		const from = (f: Formula) => (): BodyOf<'formula'> => ({ kind: 'formula', formulas: [f] });
		const open: Formula = { expr: { k: 'hole' } };
		const numeric = ['number', 'money', 'percent'].includes(field.type);
		const timed = field.type === 'date' || field.type === 'moment';
		const now: Formula = { expr: { k: 'env', name: field.type === 'date' ? 'today' : 'now' } };
		const related = schema.type(type).collections.length > 0;
		const offers: Offer<BodyOf<'formula'>>[] = [
			{
				verb: 'derive',
				label: 'A calculation',
				help: 'a formula over other fields',
				also: 'formula compute derive',
				name: 'calculated',
				likely: numeric ? 84 : 52,
				begins: 'calculation',
				make: from({ text: '' })
			},
			{
				verb: 'default',
				label: 'A start value',
				help: 'for new records, where nothing was given',
				also: 'default initial',
				name: 'start value',
				likely: 50,
				begins: 'value',
				make: from(open)
			},
			{
				verb: 'derive',
				label: 'A fixed value',
				help: 'set when something else changes or holds',
				also: 'constant stamp set',
				name: 'set',
				likely: field.type === 'yesno' ? 86 : 48,
				begins: 'condition',
				make: from(open)
			},
			{
				verb: 'derive',
				label: 'A copy of another field',
				help: 'of this record or one it links to',
				also: 'copy same as',
				name: 'copied',
				likely: 60,
				begins: 'field',
				make: from(open)
			},
			{
				verb: 'derive',
				label: 'The value from before',
				help: 'what a field held before the change',
				also: 'previous old history',
				name: 'before the change',
				likely: 34,
				closed: true,
				begins: 'before',
				make: from(open)
			}
		];
		if (related && (numeric || timed || field.type === 'text'))
			offers.push({
				verb: 'derive',
				label: 'From related records',
				help: 'their number, sum, average, smallest, largest or latest',
				also: 'roll-up rollup count total',
				name: 'from related records',
				likely: numeric ? 82 : timed ? 76 : 30,
				hold: 'locked',
				begins: 'related',
				make: from(open)
			});
		const { type: own } = schema.type(type);
		for (const link of own.fields)
			if (link.type === 'link' && !link.retired && link.id !== field.id)
				offers.push({
					verb: 'derive',
					label: `When its ${link.label} changes`,
					help: `a change of that ${schema.type(link.target!).type.label.toLowerCase()} updates each ${own.label.toLowerCase()} that links to it`,
					also: 'update for each related record cascade push children',
					name: `from its ${link.label.toLowerCase()}`,
					likely: 28,
					begins: 'watch',
					each: link.id,
					make: from(open)
				});
		if (timed)
			offers.push({
				verb: 'derive',
				label: field.type === 'date' ? 'The day of a change' : 'The moment of a change',
				help: 'when other fields changed',
				also: 'stamp timestamp today now',
				name: 'when changed',
				likely: 94,
				closed: true,
				begins: 'watch',
				make: from(now)
			});
		return offers;
	},
	decision: (b, w) =>
		b.formulas.length === 1
			? { form: { text: w.gives(b.formulas[0]), type: w.outputs[0]?.type ?? 'Any' }, lost: [] }
			: null,
	said: (b, s) => [
		...b.formulas.map((f, i) => ({
			key: `formula ${i}`,
			label: b.formulas.length > 1 ? (s.outputs[i]?.label ?? 'Gives') : 'Gives',
			text: s.gives(f, s.outputs[i])
		})),
		...(b.blank ? [saidBlank(b.blank, s)] : [])
	],
	map: (b, on) => ({
		...b,
		formulas: b.formulas.map((f, i) => on.formula(f, `formula ${i}`, { output: i }))
	}),
	carried: (b, c, rule) => (b.blank ? { ...b, blank: blankCarried(b.blank, c, rule) } : b),
	source: () => null,
	constants: none,
	tables: none,
	repairs: {
		'say blank': (b) => (b.blank ? b : { ...b, blank: { none: true } }),
		squeeze: (b, r) => ({
			...b,
			formulas: b.formulas.map((f, i) => (i === r.formula ? squeezed(f) : f))
		})
	},
	compile: (b, c) => (i, field) => {
		const f = c.formula(b.formulas[i], `formula ${i}`, typeOfField(field));
		if (!f) return null;
		const said = b.blank ? blankResult(b.blank, i, field, c) : null;
		const blank = said && someBlank(f.expr, c, `formula ${i}`);
		return {
			...f,
			chooses: conditionsOf(f.expr),
			run: (env) => {
				const value = f.run(env);
				if (value !== null) return { got: true, value };
				return blank?.(env) ? said! : { got: false, why: 'null' };
			}
		};
	},
	place: (i) => `formula ${i}`,
	outputs: () => 'any',
	withoutOutput: (b, i) => ({
		...b,
		formulas: b.formulas.filter((_, k) => k !== i),
		...(b.blank && 'give' in b.blank
			? { blank: { give: b.blank.give.filter((_, k) => k !== i) } }
			: {})
	}),
	unsteady: () => null,
	finds: none,
	because: (_, t) => (t.row === 'blank' ? blankIs(t) : computedFrom(t)),
	results: () => null,
	decides: (b, i, look) => {
		const e = look.expr(b.formulas[i]);
		return e && { values: [e], read: [] };
	},
	givesNothing: () => 'try',
	flaws(b, look) {
		if (look.passesOn || b.blank) return [];
		for (const [i, f] of b.formulas.entries()) {
			const e = look.expr(f);
			const field = look.rule.outputs[i]?.field;
			if (!e || field === undefined) continue;
			for (const spot of undecidedReads(e, { type: look.rule.type, field }, look.schema)) {
				const others = readsOf(e, look.schema).filter((r) => !sameSpot(r.spot, spot));
				const filled = others.flatMap((r) => ordinary(r.spot, look.schema));
				const flaws = blankInput(null, look, spot, filled);
				// it is the blank that decides: with a value there, it gives something
				const own = ordinary(spot, look.schema);
				if (
					flaws.length &&
					look.show([...own, ...filled], ['wrote', 'same value'], 'what it gives')
				)
					return flaws;
			}
		}
		return [];
	},
	doubts: none,
	tries: (b, { schema }) => [
		...(b.formulas.some((f) => 'expr' in f && conditionsOf(f.expr).length)
			? [] // its conditions are told apart by what they come to
			: [{ key: 'result', label: 'it gives a result' }]),
		...(b.formulas.some((f) => 'expr' in f && readsOf(f.expr, schema).length)
			? [{ key: 'blank', label: 'something that it reads is blank', short: 'blank' as const }]
			: [])
	],
	alterations: (b) =>
		b.blank
			? blankOtherwise(b.blank, null).map((blank): Altered<BodyOf<'formula'>> => ({
					slip: 'blank decided otherwise',
					body: { ...b, blank }
				}))
			: []
};
