/** A bulk change in people's words. */
import type { Field, JsonValue, Schema } from '$core';
import { sayGiven } from '$core';
import { readFormula } from '$core/feel/language';
import type { BulkAsked } from '$door/bulk';
import type { BulkIs } from '$server/db/bulk';
import { sayList } from '../list/list';
import { formatCount, formatValue } from '../words/format';

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

/** Of which records. */
export function sayWhich(
	{ type, which }: BulkAsked,
	schema: Schema,
	links: Record<string, string>,
	ruleName: (id: string) => string
): string {
	const plural = schema.type(type).type.plural.toLowerCase();
	if ('ids' in which) return `${formatCount(which.ids.length)} ticked ${plural}`;
	const { find } = which.list;
	const said = sayList(which.list, schema, type, links, ruleName);
	const named = find ? ` with “${find}”` : '';
	return said ? `${plural}${named} where ${said}` : `all ${plural}${named}`;
}
