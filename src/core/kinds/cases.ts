/** If … then …, else if … then …, otherwise …: the first condition that is so decides. */
import type { CaseGives, CasesBody, Formula } from '../document/rules';
import type { Expr } from '../document/tree';
import type { Compiled, Run } from '../feel/env';
import { printTests } from '../feel/print';
import { BOOLEAN, typeOfField } from '../feel/types';
import type { DecisionWords } from './decision';
import { exchanged, leftOut } from './altered';
import type { Altered, BodyResult, CompiledBody, Flaw, Look, Place, Writes } from './spec';
import { none } from './spec';
import { computedFrom } from './words';

const NOTHING: Expr = { k: 'null' };
const isFormula = (g: CaseGives | undefined): g is Formula => typeof g === 'object';

/** Where what a case gives stands; below 0 what is given otherwise. */
const placeOf = (row: number, output: number): Place =>
	row < 0 ? `otherwise ${output}` : `gives ${row} ${output}`;

/** What a case gives for an output, compiled. */
function given(
	g: CaseGives | undefined,
	row: number | 'otherwise',
	value: Compiled | null
): (env: Parameters<Run>[0]) => BodyResult {
	if (value)
		return (env) => {
			const v = value.run(env);
			return v === null ? { got: false, why: 'null', row } : { got: true, value: v, row };
		};
	const then = g === 'leave' || g === 'clear' ? { then: g } : {};
	const nothing: BodyResult = { got: false, why: 'no row', row, ...then };
	return () => nothing;
}

/** The cases of one output as a chain of `if`, for who reads trees; null where one cannot be read. */
function asChain(b: CasesBody, output: number, expr: (f: Formula) => Expr | null): Expr | null {
	const value = (g: CaseGives | undefined) => (isFormula(g) ? expr(g) : NOTHING);
	let chain = value(b.otherwise[output]);
	for (const row of b.rows.toReversed()) {
		const [c, t] = [expr(row.when), value(row.then[output])];
		if (!c || !t || !chain) return null;
		chain = { k: 'if', c, t, e: chain };
	}
	return chain;
}

export const cases: Writes<CasesBody> = {
	does: 'writes',
	offers: ({ field }) => [
		{
			verb: 'derive',
			label: 'Cases',
			help: 'if this, then that; else if …; otherwise …',
			also: 'conditions when depending on',
			name: 'by cases',
			likely: field.type === 'text' ? 54 : 72,
			make: () => ({
				kind: 'cases',
				rows: [{ id: 'c1', when: { text: '' }, then: [{ expr: { k: 'hole' } }] }],
				otherwise: ['nothing']
			})
		}
	],
	decision(b, w) {
		const say = (g: CaseGives) => (typeof g === 'object' ? w.gives(g) : 'null');
		const done = [...b.rows.flatMap((r) => r.then), ...b.otherwise].some(
			(g) => g === 'leave' || g === 'clear'
		);
		const lost = done ? ['that a case leaves or clears the field'] : [];
		const trees = b.rows.map((r) => w.tree(r.when));
		if (trees.some((e) => !e)) return null;
		const tests = trees.map((e) => testsOf(w, e!));
		if (tests.every((t) => t !== null)) {
			const inputs = [...new Map(tests.flat().map((t) => [w.expr(t!.input), t!.input])).entries()];
			const rows = b.rows.map((r, i) => ({
				when: inputs.map(([text]) => tests[i]!.find((t) => w.expr(t.input) === text)?.test ?? '-'),
				then: r.then.map(say)
			}));
			const rest = { when: inputs.map(() => '-'), then: b.otherwise.map(say) };
			return {
				form: {
					table: {
						inputs: inputs.map(([text, e]) => ({ text, type: w.typeOf({ expr: e }) })),
						hit: 'F',
						outputs: w.outputs,
						rows: [...rows, rest]
					}
				},
				lost
			};
		}
		if (w.outputs.length !== 1) return null;
		const text = b.rows.reduceRight(
			(rest, r, i) => `if ${w.expr(trees[i]!)} then ${say(r.then[0])} else ${rest}`,
			say(b.otherwise[0])
		);
		return { form: { text, type: w.outputs[0].type }, lost };
	},
	said(b, s) {
		const gives = (g: CaseGives, i: number) => (isFormula(g) ? s.gives(g, s.outputs[i]) : g);
		const all = (then: readonly CaseGives[]) => then.map(gives).join(' · ');
		return [
			...b.rows.map((r) => ({
				key: `case ${r.id}`,
				label: `If ${s.condition(r.when)}`,
				text: all(r.then)
			})),
			{ key: 'otherwise', label: 'Otherwise', text: all(b.otherwise) }
		];
	},
	map: (b, on) => ({
		...b,
		rows: b.rows.map((row, r) => ({
			...row,
			when: on.formula(row.when, `case ${r}`),
			then: row.then.map((g, output) =>
				isFormula(g) ? on.formula(g, placeOf(r, output), { output }) : g
			)
		})),
		otherwise: b.otherwise.map((g, output) =>
			isFormula(g) ? on.formula(g, placeOf(-1, output), { output }) : g
		)
	}),
	carried: (b) => b,
	source: () => null,
	constants: none,
	tables: none,
	repairs: {},
	compile(b, c) {
		if (!b.rows.length) {
			c.unsaid('input', 'There is no case yet.');
			return null;
		}
		const conditions = b.rows.map((row, r) => c.formula(row.when, `case ${r}`, BOOLEAN));
		return (i, field): CompiledBody | null => {
			const ty = typeOfField(field);
			const value = (g: CaseGives | undefined, r: number) =>
				g === undefined || isFormula(g) ? c.formula(g, placeOf(r, i), ty) : null;
			const values = b.rows.map((row, r) => value(row.then[i], r));
			const last = value(b.otherwise[i], -1);
			if (conditions.some((x) => !x)) return null;
			const asked = conditions as Compiled[];
			const rows = asked.map((x, r) => ({
				holds: x.run,
				gives: given(b.rows[r].then[i], r, values[r])
			}));
			const otherwise = given(b.otherwise[i], 'otherwise', last);
			const all = [...asked, ...values, last].filter((x) => x !== null);
			return {
				reads: all.flatMap((x) => x.reads),
				events: all.flatMap((x) => x.events),
				outside: new Set(all.flatMap((x) => [...x.outside])),
				chooses: asked.map((x) => x.expr),
				run: (env) => (rows.find((r) => r.holds(env) === true)?.gives ?? otherwise)(env)
			};
		};
	},
	place: () => 'outputs',
	outputs: () => 'any',
	withoutOutput: (b, i) => {
		const without = (gs: CaseGives[]) => gs.filter((_, k) => k !== i);
		return {
			...b,
			rows: b.rows.map((r) => ({ ...r, then: without(r.then) })),
			otherwise: without(b.otherwise)
		};
	},
	unsteady: () => null,
	finds: none,
	because(b, t) {
		if (t.row === 'otherwise') return 'no case is so';
		if (t.row === undefined) return computedFrom(t);
		return `case ${Number(t.row) + 1} is so`;
	},
	results: () => null,
	decides(b, i, look) {
		const chain = asChain(b, i, look.expr);
		return chain && { values: [chain], read: [] };
	},
	givesNothing: () => 'try',
	flaws: (b, look) => neverReached(b, look),
	doubts: none,
	tries: (b) => [
		...b.rows.map((r, i) => ({ key: String(i), said: `case ${r.id}` })),
		{ key: 'otherwise', said: 'otherwise' }
	],
	alterations: (b) => [
		...exchanged(b.rows).map((rows): Altered<CasesBody> => ({
			slip: 'rows in another order',
			body: { ...b, rows }
		})),
		...leftOut(b.rows).map((rows): Altered<CasesBody> => ({
			slip: 'row left out',
			body: { ...b, rows }
		})),
		...exchanged(b.rows.map((r) => r.then)).map((then): Altered<CasesBody> => ({
			slip: 'results exchanged',
			body: { ...b, rows: b.rows.map((r, i) => ({ ...r, then: then[i] })) }
		})),
		...(b.otherwise.every((g) => g === 'nothing')
			? []
			: [
					{
						slip: 'row left out' as const,
						body: { ...b, otherwise: b.otherwise.map(() => 'nothing' as const) }
					}
				])
	]
};

/** Cases that can never be so, and such as those before them take all that they would. */
function neverReached(b: CasesBody, look: Look): Flaw[] {
	const conditions = b.rows.map((r) => look.expr(r.when));
	if (conditions.some((c) => !c)) return [];
	const tried = look.truths(conditions as Expr[]);
	if (!tried) {
		look.notAnalysed(
			'Its conditions do more than compare fields with constants, so whether each case can be reached is not known.'
		);
		return [];
	}
	return b.rows.flatMap((row, r): Flaw[] => {
		const so = tried.combinations.filter((truths) => truths[r]);
		if (so.some((truths) => !truths.slice(0, r).includes(true))) return [];
		const shared = {
			at: row.id,
			place: `case ${r}` as const,
			certificate: `tried at all ${tried.combinations.length} combinations of ${tried.fields}`
		};
		if (!so.length)
			return [{ is: 'impossible row', message: `Case ${r + 1} can never be so.`, ...shared }];
		const above = [...new Set(so.map((truths) => truths.indexOf(true) + 1))].sort((x, y) => x - y);
		const names = above.join(' and ');
		return [
			{
				is: 'covered row',
				message: `Case ${r + 1} is never reached: case${above.length > 1 ? 's' : ''} ${names} ${above.length > 1 ? 'take' : 'takes'} all that it would.`,
				...shared
			}
		];
	});
}

/** A condition as tests of columns: the text of what is tested, and its test; null where it is more than that. */
function testsOf(w: DecisionWords, e: Expr): { input: Expr; test: string }[] | null {
	const parts = e.k === 'and' ? e.items : [e];
	const out: { input: Expr; test: string }[] = [];
	for (const p of parts) {
		const one = testOf(w, p);
		if (!one || out.some((x) => w.expr(x.input) === w.expr(one.input))) return null;
		out.push(one);
	}
	return out;
}

const isWay = (e: Expr): boolean => e.k === 'field' || (e.k === 'through' && isWay(e.of));

function testOf(w: DecisionWords, e: Expr): { input: Expr; test: string } | null {
	if (isWay(e)) return { input: e, test: 'true' };
	if (e.k === 'call' && e.fn === 'is blank' && e.args.length === 1 && isWay(e.args[0]))
		return { input: e.args[0], test: 'null' };
	if (e.k === 'in' && isWay(e.x)) return { input: e.x, test: printTests(e.tests, w.schema).text };
	if (e.k === 'between' && isWay(e.x))
		return { input: e.x, test: `[${w.expr(e.lo)}..${w.expr(e.hi)}]` };
	if (e.k !== 'bin' || !isWay(e.a)) return null;
	const b = w.expr(e.b);
	if (e.op === '=') return { input: e.a, test: b };
	if (e.op === '!=') return { input: e.a, test: `not(${b})` };
	return ['<', '<=', '>', '>='].includes(e.op) ? { input: e.a, test: `${e.op} ${b}` } : null;
}
