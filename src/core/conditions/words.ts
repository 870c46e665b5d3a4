/** Conditions in words, as people read them. */
import type { JsonValue } from '../document/json';
import type { Field, Schema } from '../document/model';
import type { Expr } from '../document/tree';
import { printExpression } from '../feel/print';
import { constantOf } from './constants';
import type { ConditionGroup, ConditionItem, ConditionRow } from './list';
import { conditionList, fieldOfSubject } from './list';
import type { OperandKind } from './relations';
import { daysOf, relationOf } from './relations';
import { rollupLabel, rollupOf } from './rollup';

/** Writes a value of a field as people read it. */
export type SayValue = (field: Pick<Field, 'type' | 'list' | 'target'>, value: JsonValue) => string;

/** A value without any locale: options by label, records by number. */
export function sayPlain(
	field: Pick<Field, 'type' | 'list' | 'target'>,
	v: JsonValue,
	schema: Schema
): string {
	if (v === null) return 'blank';
	if (Array.isArray(v))
		return v.map((x) => sayPlain({ ...field, type: 'choice' }, x, schema)).join(', ');
	if (typeof v === 'boolean') return v ? 'yes' : 'no';
	if (field.list) return schema.option(field.list, v)?.label ?? v;
	return field.type === 'link' ? `No. ${v}` : v;
}

const OPEN = '…';
const DAY = { type: 'date' as const };
const TEXT = { type: 'text' as const };
const COUNT = { type: 'number' as const };

const ENV: Record<string, string> = {
	today: 'today',
	now: 'the moment of the change',
	person: 'the person making the change',
	'entry point': 'the entry point'
};

/** What an expression is called: a field by its label, behind links with their labels before it, else as a formula. */
export function sayWay(e: Expr, schema: Schema): string {
	switch (e.k) {
		case 'hole':
			return OPEN;
		case 'env':
			return ENV[e.name];
		case 'field': {
			const label = schema.field(e.type, e.field)?.label ?? e.field;
			return e.image === 'settled'
				? label
				: e.image === 'was'
					? `${label} before the change`
					: `${label} as entered`;
		}
		case 'through': {
			const label = schema.field(e.type, e.field)?.label ?? e.field;
			return e.of.k === 'var' && e.of.name === 'item'
				? label
				: `${sayWay(e.of, schema)} › ${label}`;
		}
		case 'related': {
			const label = schema.field(e.type, e.field)?.inverse ?? e.field;
			return !e.of || e.of.k === 'var' ? label : `${sayWay(e.of, schema)} › ${label}`;
		}
		default:
			return printExpression(e, schema).text;
	}
}

function sayOperand(
	kind: OperandKind,
	xs: readonly Expr[],
	field: Field | null,
	schema: Schema,
	say: SayValue
): string {
	const of =
		kind === 'day' ? DAY : kind === 'text' ? TEXT : kind === 'count' ? COUNT : (field ?? TEXT);
	const one = (e: Expr): string => {
		if (kind === 'days') return String(daysOf(e) ?? OPEN);
		const v = constantOf(
			e,
			kind === 'option' || of.type === 'choices' ? { ...of, type: 'choice' } : of
		);
		return v === undefined
			? sayWay(e, schema)
			: say(of.type === 'choices' ? { ...of, type: 'choice' } : of, v);
	};
	if (kind === 'filter') {
		const [f] = xs;
		if (f.k === 'bool' && f.v) return '';
		return ` where ${sayGroup(conditionList(f, schema), schema, say)}`;
	}
	const said = xs.map(one);
	return said.length > 1 ? `${said.slice(0, -1).join(', ')} or ${said.at(-1)}` : (said[0] ?? OPEN);
}

/** A row as people read it: *Stage is one of Won or Lost*. */
export function sayRow(row: ConditionRow, schema: Schema, say: SayValue): string {
	const r = relationOf(row.relation);
	const field = fieldOfSubject(row.subject, schema);
	return r.operands
		.reduce(
			(s, o, i) =>
				s.replace(`{${i}}`, () => sayOperand(o.kind, row.operands[i], field, schema, say)),
			r.says
		)
		.replace('{x}', () => sayWay(row.subject, schema));
}

function sayItem(i: ConditionItem, schema: Schema, say: SayValue): string {
	if (i.k === 'row') return sayRow(i, schema, say);
	if (i.k === 'formula') return printExpression(i.of, schema).text;
	return i.items.length > 1 ? `(${sayGroup(i, schema, say)})` : sayGroup(i, schema, say);
}

/** A group as people read it. */
export function sayGroup(g: ConditionGroup, schema: Schema, say: SayValue): string {
	const items = g.items.map((i) => sayItem(i, schema, say));
	if (g.how === 'none') return `none of these: ${items.join('; ')}`;
	return items.join(g.how === 'all' ? ' and ' : ' or ');
}

/** A whole condition as people read it. */
export const sayCondition = (e: Expr, schema: Schema, say: SayValue): string =>
	sayGroup(conditionList(e, schema), schema, say);

const CHANGE: Record<string, string> = {
	today: 'the day of the change',
	now: 'the moment of the change',
	person: 'the person making the change'
};

/** What a field gets, as people read it: a value, a field, what related records tell, or the formula. */
export function sayGiven(
	e: Expr,
	field: Pick<Field, 'type' | 'list' | 'target'>,
	schema: Schema,
	say: SayValue
): string {
	const v = constantOf(e, field);
	if (v !== undefined) return v === null ? 'nothing' : say(field, v);
	if (e.k === 'env') return CHANGE[e.name] ?? ENV[e.name];
	if (field.type === 'choices') {
		const one = constantOf(e, { ...field, type: 'choice' });
		if (one !== undefined) return say({ ...field, type: 'choice' }, one);
	}
	const r = rollupOf(e, schema);
	if (!r) return sayWay(e, schema);
	const type = r.related.k === 'related' ? r.related.type : '';
	const told = r.field === null ? null : (schema.field(type, r.field) ?? null);
	const where = r.filter ? ` where ${sayCondition(r.filter, schema, say)}` : '';
	const of = r.how === 'count' ? '' : `${told?.label ?? OPEN} of `;
	return `${rollupLabel(r.how, told ?? field)} ${of}${sayWay(r.related, schema)}${where}`;
}
