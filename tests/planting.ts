/** Rule sets with one planted mistake, made by chance from a seed, beside rules with nothing wrong. */
import type { FindingIs, Rule, RuleSet } from '../src/core';
import { Chance } from './chance';
import { bands, check, rule } from './deals';
import { PLANTS, STAGES, locked, q, state, three, validate, type Part } from './plants';

/** A condition that holds for some records. */
const sound = (c: Chance): string =>
	c.of([
		'Urgent',
		`Stage = ${q(c.of(STAGES))}`,
		`Amount > ${c.int(1, 90)}`,
		'Score > 0',
		'not(is blank(Day))'
	]);
/** Rules with nothing wrong, on fields that no plant writes. */
const BESIDE: readonly ((c: Chance) => Rule)[] = [
	(c) => rule('score', `otherwise(Amount, 0) + ${c.int(1, 9)}`, c.int(0, 1) ? locked : {}),
	(c) => {
		const [a, b] = three(c);
		return rule('grade', bands([String(c.int(1, 99))], [a, b]));
	},
	(c) => rule('extra', c.of(['upper case(Title)', 'lower case(Title)'])),
	(c) => rule('due', `Day + duration("P${c.int(1, 30)}D")`, { if: sound(c) }),
	(c) => validate('due', check(`Due > date("200${c.int(1, 9)}-01-01")`, c.int(0, 1) === 1)),
	(c) => state('extra', 'hidden', { if: sound(c) })
];

/** A rule set with one planted mistake of a kind, its clean twin, and sound rules beside it. */
export function plant(is: FindingIs, seed: number) {
	const c = new Chance(seed);
	const { also = [], ...made } = c.of(PLANTS[is])(c);
	const beside = c
		.mixed(BESIDE)
		.slice(0, c.int(0, 3))
		.map((make) => make(c));
	const places = made.planted.rules.map(() => c.int(0, beside.length));
	const setOf = ({ rules, order = {}, tables, definitions }: Part): RuleSet => {
		const all = [...beside];
		// in the order among themselves, at any place among the others
		const at = rules.map((_, i) => places[i] ?? 0).sort((a, b) => a - b);
		rules.forEach((r, i) => all.splice(at[i] + i, 0, r));
		return {
			rules: all,
			order,
			...(tables ? { tables } : {}),
			...(definitions ? { definitions } : {})
		};
	};
	return {
		also,
		planted: { ...made.planted, set: setOf(made.planted) },
		clean: { ...made.clean, set: setOf(made.clean) }
	};
}
