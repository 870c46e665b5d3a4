/** What a list shows and asks for, in people's words. */
import type { Expr, Field, JsonValue, Schema } from '$core';
import { kindOfField, sayCondition, waysFrom } from '$core';
import { BOOLEAN, readFormula } from '$core/feel/language';
import type { LineIs } from '$door/line';
import {
	STAMPS,
	columnText,
	type ListAsked,
	type ListColumn,
	type ListPeriod,
	type Setter
} from '$door/lists';
import { STAMP_LABEL, asksOfChanges, columnLabel } from '../../runtime/lists';
import { describeField, formatDate, formatValue } from '../words/format';

/** By whom a value was set, as it is chosen. */
export const SETTER_LABEL: Record<Setter, string> = {
	rule: 'a rule',
	person: 'a person',
	import: 'an import',
	api: 'the API',
	unknown: 'nobody known'
};

/** How a value is out of line, as it is chosen. */
export const LINE_LABEL: Record<LineIs, string> = {
	open: 'out of line',
	hand: 'set by hand against its rule',
	failed: 'whose rule fails',
	left: 'left out of line'
};

/** A column that can be put in, found by typing. */
export interface ColumnChoice {
	/** As it is written. */
	id: string;
	label: string;
	/** Under which it stands. */
	group: string;
	help: string;
}

/** The columns that a list of a type can have, found by typing; those it has are left out. */
export function columnChoices(
	schema: Schema,
	type: string,
	has: readonly string[]
): ColumnChoice[] {
	const out: ColumnChoice[] = [];
	const had = new Set(has);
	const offer = (c: ListColumn, group: string, help: string) => {
		const id = columnText(c);
		if (!had.has(id)) out.push({ id, label: columnLabel(schema, type, c), group, help });
	};
	const { label, fields } = schema.type(type).type;
	for (const w of waysFrom(schema, type)) {
		const path = pathOf(w.expr);
		const group = w.through.length ? `${w.through.join(' › ')} ›` : label;
		if (w.field && path)
			offer({ k: 'field', path }, group, describeField(w.field, schema).replace(/ · .*/, ''));
		else if (w.expr.k === 'related' && w.expr.of === null)
			offer({ k: 'count', type: w.expr.type, field: w.expr.field }, 'How many', 'number');
	}
	offer({ k: 'stamp', of: 'made' }, label, 'when the record was made');
	offer({ k: 'stamp', of: 'changed' }, label, 'when any of its values last changed');
	for (const f of fields.filter((x) => !x.retired)) {
		offer({ k: 'before', field: f.id }, 'Before the latest change', 'what it was');
		offer({ k: 'since', field: f.id }, 'Before the latest change', 'when it changed');
	}
	return out;
}

/** The links and the field of a way that leads to one value; null for any other. */
function pathOf(e: Expr): string[] | null {
	if (e.k === 'field') return [e.field];
	if (e.k !== 'through') return null;
	const of = pathOf(e.of);
	return of && [...of, e.field];
}

/** Pixels of a letter of a column's label, of what stands beside it, and the most that a long word may ask for. */
const LETTER = 8;
const BESIDE = 44;
const WORD_AT_MOST = 240;

/** Pixels that a column takes at first: as much as values of its kind need, and the longest word of its label. */
export function columnWidth(f: Field | null, c: ListColumn, label: string): number {
	const longest = Math.max(...label.split(/[\s-]+/).map((w) => w.length));
	return Math.max(kindWidth(f, c), Math.min(longest * LETTER + BESIDE, WORD_AT_MOST));
}

function kindWidth(f: Field | null, c: ListColumn): number {
	if (c.k === 'since' || c.k === 'stamp') return 150;
	if (!f) return 96;
	const WIDTH: Partial<Record<Field['type'], number>> = {
		link: 150,
		email: 240,
		phone: 152,
		date: 104,
		moment: 150,
		yesno: 96,
		number: 104,
		money: 136,
		choices: 150
	};
	return WIDTH[f.type] ?? 120;
}

/** Whether what stands there is a number. */
export const isAmount = (f: Field | null, c: ListColumn): boolean =>
	c.k === 'count' || (c.k !== 'since' && !!f && kindOfField(f) === 'number');

/** What a list asks for so far: a first row of which nothing is said yet asks nothing. */
export function askedSoFar(asked: ListAsked): ListAsked {
	const { where } = asked;
	const e = where && 'expr' in where ? where.expr : null;
	const open = e?.k === 'bin' && e.a.k === 'hole' && e.b.k === 'hole';
	return open ? { ...asked, where: null } : asked;
}

/** Whether a condition is finished: all of it said, and it can be read. */
export function isFinished(schema: Schema, type: string, where: ListAsked['where']): boolean {
	if (!where) return true;
	if (JSON.stringify(where).includes('"k":"hole"')) return false;
	const { compiled, faults } = readFormula(where, { schema, type, expected: BOOLEAN });
	return compiled !== null && !faults.length;
}

/** A period as it follows what it is about. */
const sayPeriod = (p: ListPeriod): string =>
	'days' in p ? `in the last ${p.days} days` : `from ${formatDate(p.from)} to ${formatDate(p.to)}`;

/** Which records a list has, in words; null for all of them. @param ruleName what a rule is called */
export function sayList(
	asked: ListAsked,
	schema: Schema,
	type: string,
	links: Record<string, string>,
	ruleName: (id: string) => string
): string | null {
	const parts: string[] = [];
	const { where, period } = asked;
	if (where) {
		const expr = 'expr' in where ? where.expr : readFormula(where, { schema, type }).compiled?.expr;
		const said = expr
			? sayCondition(expr, schema, (f, v: JsonValue) =>
					v === null ? 'blank' : formatValue(f as Field, v, schema, links)
				)
			: 'text' in where
				? where.text
				: '';
		parts.push(asked.untold ? `it cannot be told whether ${said}` : said);
		if (period && asksOfChanges(asked)) parts.push(`changes ${sayPeriod(period)}`);
	}
	for (const of of STAMPS)
		if (asked[of]) parts.push(`${STAMP_LABEL[of].toLowerCase()} ${sayPeriod(asked[of])}`);
	for (const s of asked.setBy)
		parts.push(
			`${schema.field(type, s.field)?.label ?? s.field} set by ${s.rule === null ? SETTER_LABEL[s.by] : `“${ruleName(s.rule)}”`}`
		);
	if (asked.pending) parts.push('pending');
	if (asked.pilot) parts.push('in the pilot');
	if (asked.line) {
		const of = asked.line.field === null ? 'a value' : schema.field(type, asked.line.field)?.label;
		parts.push(`${of ?? asked.line.field} ${LINE_LABEL[asked.line.is]}`);
	}
	return parts.length ? parts.join(' · ') : null;
}
