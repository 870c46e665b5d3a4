/** Constants that several kinds hold, in the identities of another workspace. */
import type { JsonValue } from '../document/json';
import type { Blank, Rule } from '../document/rules';
import type { Carrying } from './spec';

/** A constant for each output. */
export const resultsCarried = <T extends JsonValue[] | null>(
	results: T,
	c: Carrying,
	rule: Rule
): T =>
	results &&
	(results.map((v, i) =>
		c.value(c.from.field(rule.type, rule.outputs[i]?.field ?? ''), v)
	) as typeof results);

/** What a blank gives. */
export const blankCarried = (blank: Blank, c: Carrying, rule: Rule): Blank =>
	blank && 'give' in blank ? { give: resultsCarried(blank.give, c, rule) } : blank;

/** An option, or yes or no, of a field of the rule's record type, as rows are known by it. */
export const keyCarried = (key: string, field: string, c: Carrying, rule: Rule): string => {
	const f = c.from.field(rule.type, field);
	return f?.list ? c.option(f.list, key) : key;
};

/** Options of the field that a rule limits. */
export const optionsCarried = (options: readonly string[], c: Carrying, rule: Rule): string[] => {
	const list = c.from.field(rule.type, rule.outputs[0]?.field ?? '')?.list;
	return options.map((o) => (list ? c.option(list, o) : o));
};
