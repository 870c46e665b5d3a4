/**
 * What an edit costs: the plan and the findings compiled again, and what a keystroke settles, by how many rules,
 * checks and rows there are. The core alone.
 *
 *   npm run bench -- edits
 */
import { demoModel } from '../demo/model';
import { demoReleases } from '../demo/rules';
import type { Change, Rule, RuleSet, Value } from '../src/core';
import { Kept, NOTHING_ELSE, Schema, analyse, compilePlan, num, settle } from '../src/core';
import { zones } from '../src/runtime/zones';
import { beside, growth, ratio } from './measure';

const OPTIONS = Array.from({ length: 8 }, (_, i) => ({ id: `o${i}`, label: `O${i}` }));
const LISTS = [{ id: 'l', label: 'L', options: OPTIONS }];
const field = (id: string, type: 'number' | 'choice') => ({
	id,
	label: id.toUpperCase(),
	group: 'G',
	type,
	...(type === 'choice' ? { list: 'l' } : {})
});
type Fields = ReturnType<typeof field>[];
const schemaOf = (fields: Fields) =>
	new Schema({
		zone: 'UTC',
		lists: LISTS,
		types: [{ id: 'x', label: 'X', plural: 'X', title: 'n0', short: [], columns: [], fields }]
	});
const ruleOf = (
	id: string,
	target: string,
	body: Rule['body'],
	more: Partial<Rule> = {}
): Rule => ({
	id,
	type: 'x',
	kind: 'derive',
	name: id.toUpperCase(),
	why: '',
	moments: ['created', 'changed', 'request'],
	entryPoints: null,
	watch: null,
	entering: false,
	guard: null,
	outputs: [{ id: 'o', field: target, hold: 'follow', none: 'next' }],
	body,
	...more
});
/** A key in the field n0 of a stored record. */
const keyAt = (schema: Schema, sent: Map<string, Value>): Change => ({
	records: [
		{
			type: 'x',
			id: '1',
			created: false,
			was: schema.type('x').type.fields.map((f) => (f.type === 'number' ? num(1) : null)),
			sent,
			keep: 'touched',
			inLine: true
		}
	],
	entryPoint: 'full',
	instant: 1_763_900_000_000,
	person: null
});

/** Bands and maps under conditions, written as text, five to a field. */
function rulesLikeReal(rules: number): { schema: Schema; set: RuleSet } {
	const inputs = Array.from({ length: 20 }, (_, i) => i);
	const schema = schemaOf([
		...inputs.flatMap((i) => [field(`n${i}`, 'number'), field(`c${i}`, 'choice')]),
		...Array.from({ length: Math.ceil(rules / 5) }, (_, i) => field(`t${i}`, 'choice'))
	]);
	const all = Array.from({ length: rules }, (_, i) => {
		const k = i % 20;
		const body: Rule['body'] =
			i % 2
				? {
						kind: 'bands',
						input: { text: `N${k}` },
						limits: [
							{ at: '10', belongs: 'above' },
							{ at: '50', belongs: 'above' }
						],
						results: [['o1'], ['o2'], ['o3']],
						blank: { none: true }
					}
				: {
						kind: 'options',
						input: `c${k}`,
						rows: Object.fromEntries(OPTIONS.map((o) => [o.id, ['o4']])),
						blank: { none: true }
					};
		const guard = { text: `C${(k + 3) % 20} = "O${i % 8}" and N${(k + 1) % 20} > ${i % 50}` };
		return ruleOf(`r${i}`, `t${Math.floor(i / 5)}`, body, { guard });
	});
	return { schema, set: { rules: all, order: {} } };
}

/** An edit of one rule after the other: its condition is written anew, so it is compiled again. */
function edits({ schema, set }: { schema: Schema; set: RuleSet }) {
	let now = set;
	return (i: number): RuleSet => {
		const at = (i * 7) % now.rules.length;
		now = {
			...now,
			rules: now.rules.map((r, k) =>
				k === at ? { ...r, why: `edit ${i}`, guard: r.guard && { ...r.guard } } : r
			)
		};
		compilePlan(schema, now);
		return now;
	};
}

// ---- the plan and the findings after an edit ----------------------------------------------------------

const demo = { schema: new Schema(demoModel).with(demoReleases[2].set), set: demoReleases[2].set };
console.log('\nThe plan after an edit of one rule');
const [d, of200, of1000] = [demo, rulesLikeReal(200), rulesLikeReal(1_000)];
const plans = beside({
	'the rules of the demo': edits(d),
	'200 rules': edits(of200),
	'1000 rules': edits(of1000)
});
ratio('1000 rules / 200 rules', plans['1000 rules'], plans['200 rules']);

console.log('All rules compiled for the first time, written as text');
const first = beside({
	'1000 rules': () => {
		const { schema, set } = rulesLikeReal(1_000);
		compilePlan(schema, set);
	},
	'5000 rules': () => {
		const { schema, set } = rulesLikeReal(5_000);
		compilePlan(schema, set);
	}
});
growth('rules', [1_000, 5_000], [first['1000 rules'], first['5000 rules']]);

console.log('The findings after an edit of one rule, with its plan');
const found = (from: { schema: Schema; set: RuleSet }) => {
	const kept = new Kept();
	analyse(compilePlan(from.schema, from.set), from.set, zones, { kept });
	const edit = edits(from);
	return (i: number) => {
		const set = edit(i);
		analyse(compilePlan(from.schema, set), set, zones, { kept });
	};
};
const findings = beside({
	'the rules of the demo': found(d),
	'200 rules': found(of200),
	'1000 rules': found(of1000)
});
ratio('1000 rules / 200 rules', findings['1000 rules'], findings['200 rules']);

// ---- a key, by the number of rules that have nothing to do with it -------------------------------------

console.log(
	'A key in a field that no rule watches, by the rules on the type: one hundred to a field'
);
const SIZES = [10, 200, 4_000];
function unwatched(rules: number) {
	const targets = Math.ceil(rules / 100);
	const schema = schemaOf([
		field('n0', 'number'),
		field('n1', 'number'),
		...Array.from({ length: 40 }, (_, i) => field(`t${i}`, 'number'))
	]);
	const set: RuleSet = {
		order: {},
		rules: Array.from({ length: rules }, (_, i) =>
			ruleOf(
				`r${i}`,
				`t${i % targets}`,
				{ kind: 'formula', formulas: [{ text: `N1 + ${i}` }] },
				{ guard: { text: `N1 = ${i}` } }
			)
		)
	};
	const plan = compilePlan(schema, set);
	if (plan.problems.length) throw new Error(plan.problems[0].message);
	const change = keyAt(schema, new Map([['n0', num(5)]]));
	return () => settle(plan, change, NOTHING_ELSE, { zones });
}
const keys = beside({
	'10 rules': unwatched(10),
	'200 rules': unwatched(200),
	'4000 rules': unwatched(4_000)
});
ratio('4000 rules / 10 rules', keys['4000 rules'], keys['10 rules']);
growth('rules', SIZES, Object.values(keys));

console.log('The same as an open form shows it, by the checks on the type');
function checked(checks: number) {
	const schema = schemaOf([
		field('n0', 'number'),
		...Array.from({ length: 40 }, (_, i) => field(`n${i + 1}`, 'number'))
	]);
	const set: RuleSet = {
		order: {},
		rules: Array.from({ length: checks }, (_, i) =>
			ruleOf(
				`r${i}`,
				`n${1 + (i % 40)}`,
				{
					kind: 'check',
					holds: { text: `N${1 + (i % 40)} < ${1000 + i}` },
					message: ['Too large.'],
					blocking: true,
					always: false
				},
				{
					kind: 'validate',
					outputs: [{ id: 'o', field: `n${1 + (i % 40)}`, hold: 'follow', none: 'leave' }]
				}
			)
		)
	};
	const plan = compilePlan(schema, set);
	if (plan.problems.length) throw new Error(plan.problems[0].message);
	const change = keyAt(schema, new Map([['n0', num(5)]]));
	return () => settle(plan, change, NOTHING_ELSE, { zones, explain: true, states: true });
}
const forms = beside({
	'10 checks': checked(10),
	'100 checks': checked(100),
	'1000 checks': checked(1_000)
});
growth('checks', [10, 100, 1_000], Object.values(forms));

// ---- decision tables ----------------------------------------------------------------------------------------

console.log('A decision table of seven inputs, settled, by its rows (the last one matches)');
function decided(rows: number, outputs = 1) {
	const schema = schemaOf(Array.from({ length: 7 + outputs }, (_, i) => field(`n${i}`, 'number')));
	const set: RuleSet = {
		order: {},
		rules: [
			ruleOf(
				'r',
				'n7',
				{
					kind: 'table',
					hit: 'U',
					inputs: Array.from({ length: 7 }, (_, k) => ({ text: `N${k}` })),
					rows: Array.from({ length: rows }, (_, i) => ({
						id: `r${i}`,
						when: Array.from({ length: 7 }, (_, k) => ({
							text: k === i % 7 ? `[${i * 10}..${i * 10 + 9}]` : '-'
						})),
						then: Array.from({ length: outputs }, (_, o) => ({ text: String(i + o) }))
					}))
				},
				{
					outputs: Array.from({ length: outputs }, (_, o) => ({
						id: `o${o}`,
						field: `n${7 + o}`,
						hold: 'locked' as const,
						none: 'clear' as const
					}))
				}
			)
		]
	};
	const plan = compilePlan(schema, set);
	if (plan.problems.length) throw new Error(plan.problems[0].message);
	const at = (rows - 1) * 10 + 3;
	const sent = new Map<string, Value>(
		Array.from({ length: 7 }, (_, k) => [`n${k}`, num(k === (rows - 1) % 7 ? at : -5)])
	);
	const change = keyAt(schema, sent);
	const { values } = settle(plan, change, NOTHING_ELSE, { zones }).records[0];
	if (String(values[7]) !== String(rows - 1)) throw new Error(`row ${String(values[7])}`);
	return () => settle(plan, change, NOTHING_ELSE, { zones });
}
const tables = beside({
	'10 rows': decided(10),
	'100 rows': decided(100),
	'1500 rows': decided(1_500),
	'1500 rows, three outputs': decided(1_500, 3)
});
growth('rows', [10, 100, 1_500], Object.values(tables).slice(0, 3));
ratio('three outputs / one', tables['1500 rows, three outputs'], tables['1500 rows']);
