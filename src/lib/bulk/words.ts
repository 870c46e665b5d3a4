/** A bulk change in people's words. */
import type { Field, JsonValue, Schema } from '$core';
import { sayGiven } from '$core';
import { readFormula } from '$core/feel/language';
import type { BulkAsked } from '$door/bulk';
import type { BulkIs } from '$server/db/bulk';
import { readColumn, type ListAsked } from '$door/lists';
import { sayList } from '../list/list';
import { formatCount, formatValue } from '../words/format';
import { columnLabel } from '../../runtime/lists';

/** What becomes of records, as it is counted. */
export const IS_LABEL: Record<BulkIs, string> = {
	changed: 'changed',
	same: 'no change',
	spared: 'spared, set by people',
	refused: 'refused',
	moved: 'left: somebody changed it meanwhile'
};

/** What is done: *Phone becomes 99*. */
export function sayDoes(
	{ type, does }: BulkAsked,
	schema: Schema,
	links: Record<string, string>
): string {
	if (does.k === 'rules')
		return does.fillBlanks ? 'Standing rules run, and fill blanks' : 'Standing rules run';
	const f = schema.field(type, does.field);
	const label = f?.label ?? does.field;
	if (does.k === 'line') return `${label} is brought into line`;
	if (does.k === 'history') return `${label} is filled from history`;
	if (does.k === 'set')
		return does.value === null
			? `${label} is cleared`
			: `${label} becomes ${f ? formatValue(f, does.value, schema, links) : ''}`;
	const expr =
		'expr' in does.formula
			? does.formula.expr
			: readFormula(does.formula, { schema, type }).compiled?.expr;
	const say = (of: Pick<Field, 'type'>, v: JsonValue) =>
		v === null ? 'blank' : formatValue(of as Field, v, schema, links);
	return `${label} becomes ${expr && f ? sayGiven(expr, f, schema, say) : 'what is calculated'}`;
}

/** In which order the first of a list are its first. */
export function sayOrder(sort: ListAsked['sort'], schema: Schema, type: string): string {
	const by = sort && sort.column !== 'id' && readColumn(sort.column);
	if (!by) return sort?.desc === false ? 'the oldest first' : 'the newest first';
	return `by ${columnLabel(schema, type, by)}${sort.desc ? ', backwards' : ''}`;
}

/** Of which records. */
export function sayWhich(
	{ type, which }: BulkAsked,
	schema: Schema,
	links: Record<string, string>,
	ruleName: (id: string) => string
): string {
	const plural = schema.type(type).type.plural.toLowerCase();
	if ('ids' in which) return `${formatCount(which.ids.length)} ticked ${plural}`;
	const { find, sort } = which.list;
	const said = sayList(which.list, schema, type, links, ruleName);
	const all = `${plural}${find ? ` with “${find}”` : ''}${said ? ` where ${said}` : ''}`;
	if (which.first === undefined) return said ? all : `all ${all}`;
	return `the first ${formatCount(which.first)} of ${all}, ${sayOrder(sort, schema, type)}`;
}
