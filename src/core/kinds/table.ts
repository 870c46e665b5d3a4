/** A decision table: rows of tests over inputs, and what each row gives for each output. */
import type { JsonValue } from '../document/json';
import type { Field, Schema } from '../document/model';
import type { Formula } from '../document/rules';
import { HIT_SAYS } from '../document/rules';
import type { Expr, Tests } from '../document/tree';
import { bare } from '../document/tree';
import { readFormula } from '../feel/read-formula';
import { ANY } from '../feel/types';
import { toJson } from '../fields/codec';
import { constantsIn, spotOf } from '../spots/cells';
import { compileDecision, readCell } from '../tables/decision';
import { isPlain } from '../tables/row-index';
import { Num, parseNum } from '../value/num';
import { order } from '../value/value';
import { exchanged, leftOut } from './altered';
import type { Altered, BodyOf, Place, Repairs, Writes } from './spec';
import { none } from './spec';
import { cellsTried } from './table-cells';
import { rowFlaws } from './table-rows';
import { isBlank } from './words';

type Table = BodyOf<'table'>;

const isNull = (f: Formula | null | undefined) => !f || ('expr' in f && f.expr.k === 'null');

export const table: Writes<Table> = {
	does: 'writes',
	offers: () => [
		{
			verb: 'categorize',
			label: 'Rows over several fields',
			help: 'a decision table: tests in columns, a row for each outcome',
			also: 'decision table matrix combinations',
			name: 'by a table',
			likely: 58,
			make: () => ({
				kind: 'table',
				hit: 'U',
				inputs: [{ expr: { k: 'hole' } }],
				rows: [{ id: 'row1', when: [{ text: '' }], then: [null] }]
			})
		}
	],
	decision(b, w) {
		return {
			form: {
				table: {
					inputs: b.inputs.map((f) => ({ text: w.gives(f), type: w.typeOf(f) })),
					hit: b.hit,
					outputs: w.outputs,
					rows: b.rows.map((r) => ({
						when: r.when.map((c) => w.cell(c)),
						then: r.then.map((f) => w.gives(f)),
						...(r.note ? { note: r.note } : {})
					}))
				}
			},
			lost: b.priority ? ['the order of what is most important'] : []
		};
	},
	said: (b, s) => [
		{ key: 'inputs', label: 'From', text: b.inputs.map((f) => s.gives(f)).join(' · ') },
		{ key: 'hit', label: 'Where several rows match', text: HIT_SAYS[b.hit] },
		...b.rows.map((r, i) => ({
			key: `row ${r.id}`,
			label: `Row ${i + 1}: ${r.when.map((c) => s.cell(c) || '-').join(' · ')}`,
			text: r.then.map((f, k) => (f ? s.gives(f, s.outputs[k]) : 'nothing')).join(' · ')
		})),
		...(b.priority ?? []).map((p, i) => ({
			key: `priority ${i}`,
			label: 'Most important first',
			text: p ? p.map((v) => s.value(v, s.outputs[i])).join(', ') : 'in the order of the options'
		}))
	],
	map: (b, on) => ({
		...b,
		inputs: b.inputs.map((f, i) => on.formula(f, `input ${i}`)),
		rows: b.rows.map((r, k) => ({
			...r,
			when: r.when.map((cell, i) => on.cell(cell, `cell ${k} ${i}`, i)),
			then: r.then.map((f, o) => f && on.formula(f, `then ${k} ${o}`, { output: o }))
		}))
	}),
	carried: (b, c, rule) =>
		b.priority
			? {
					...b,
					priority: b.priority.map(
						(p, i) =>
							p && p.map((v) => c.value(c.from.field(rule.type, rule.outputs[i]?.field ?? ''), v))
					)
				}
			: b,
	source: () => null,
	constants: none,
	tables: none,
	repairs: { 'add row': (b, r, on) => withRow(b, r.values, on) },
	compile(b, c) {
		if (c.fields.some((f) => !f)) return null;
		const scope = { schema: c.schema, type: c.rule.type, before: c.before };
		const compiled = compileDecision(b, c.fields as Field[], scope);
		for (const f of compiled.faults) {
			const { at } = f;
			const place: Place =
				at.what === 'table'
					? 'input'
					: at.what === 'input'
						? `input ${at.input}`
						: `${at.what} ${at.row} ${at.column}`;
			c.problem(place, f.message, f);
		}
		if (compiled.faults.length) return null;
		return (i) => ({
			...compiled,
			run: (env) => {
				const h = compiled.run(i, env);
				const row = h.rows.length > 1 ? h.rows.map((r) => r + 1).join(', ') : h.rows[0];
				return h.got ? { got: true, value: h.value, row } : { got: false, why: h.why, row };
			},
			trace: (env) => compiled.trace(env)
		});
	},
	place: () => 'outputs',
	outputs: () => 'any',
	withoutOutput: (b, i) => ({
		...b,
		rows: b.rows.map((r) => ({ ...r, then: r.then.filter((_, k) => k !== i) })),
		...(b.priority ? { priority: b.priority.filter((_, k) => k !== i) } : {})
	}),
	unsteady: () => null,
	finds: none,
	because(b, t) {
		if (t.outcome === 'blank') return isBlank(t);
		const read = t.read.join(', ');
		if (t.row === undefined) return `no row of its table matches ${read}`;
		if (typeof t.row === 'number') return `row ${t.row + 1} matches ${read}`;
		return `rows ${t.row} ${b.hit === 'U' || b.hit === 'A' ? 'all ' : ''}match ${read}`;
	},
	results: () => null,
	decides(b, i, look) {
		const spots = b.inputs.map((f) => look.spot(f));
		if (
			spots.some((x) => !x) ||
			!b.rows.every((r) => r.when.every((c) => 'tests' in c && isPlain(c.tests)))
		)
			return null;
		const given = b.rows.flatMap((r) => (isNull(r.then[i]) ? [] : [look.expr(r.then[i])]));
		if (given.some((e) => !e)) return null;
		return {
			values: given as Expr[],
			read: spots.map((spot, k) => ({
				spot: spot!,
				constants: constantsIn(b.rows.map((r) => r.when[k]))
			}))
		};
	},
	givesNothing: (b, i) => (b.rows.every((r) => isNull(r.then[i])) ? b.rows.length : null),
	flaws: (b, look) => rowFlaws(b, look),
	doubts: none,
	tries: (b, on) => [
		...b.rows.map((r, i) => ({ key: String(i), said: `row ${r.id}` })),
		...cellsTried(b, on),
		{ key: 'no row', label: 'no row matches', short: 'no row' }
	],
	alterations: (b) => [
		...leftOut(b.rows).map((rows): Altered<Table> => ({
			slip: 'row left out',
			body: { ...b, rows }
		})),
		...exchanged(b.rows.map((r) => r.then)).map((then): Altered<Table> => ({
			slip: 'results exchanged',
			body: { ...b, rows: b.rows.map((r, i) => ({ ...r, then: then[i] })) }
		})),
		// only then the order decides
		...(b.hit === 'F'
			? exchanged(b.rows).map((rows): Altered<Table> => ({
					slip: 'rows in another order',
					body: { ...b, rows }
				}))
			: [])
	]
};

/** The table with a row that takes a combination, and as much around it as no other row speaks of. */
function withRow(
	b: Table,
	values: readonly JsonValue[],
	{ schema, rule }: Parameters<NonNullable<Repairs<Table>['add row']>>[2]
): Table {
	const scope = { schema, type: rule.type };
	const when = b.inputs.map((f, k) => {
		const e = readFormula(f, scope).compiled?.expr;
		const spot = e && spotOf(e, schema);
		const value = values[k] ?? null;
		const tests: Tests['tests'] = [
			{ k: 'is', e: literal(value, spot?.field.list, spot?.field.type) }
		];
		if (!spot || value === null || !['number', 'money', 'percent'].includes(spot.field.type))
			return { tests: { not: false, tests } };
		return { tests: { not: false, tests: [stretch(b, k, String(value), scope)] } };
	});
	let n = b.rows.length + 1;
	while (b.rows.some((x) => x.id === `row${n}`)) n++;
	// what the row gives stays to be written, and until then stands as a finding
	const then = rule.outputs.map(() => ({ text: '' }));
	return { ...b, rows: [...b.rows, { id: `row${n}`, when: when.map(bare), then }] };
}

function literal(v: JsonValue, list: string | undefined, type: string | undefined): Expr {
	if (v === null) return { k: 'null' };
	if (typeof v === 'boolean') return { k: 'bool', v };
	const text = String(v);
	if (list) return { k: 'option', list, option: text };
	if (type === 'date') return { k: 'at', v: text };
	return ['number', 'money', 'percent'].includes(type ?? '')
		? { k: 'num', v: text }
		: { k: 'text', v: text };
}

/** The numbers from a value up to the next limit that any row of the table speaks of. */
function stretch(
	b: Table,
	column: number,
	value: string,
	scope: { schema: Schema; type: string }
): Tests['tests'][number] {
	const from = parseNum(value)!;
	const cells = b.rows.map((row) => readCell(row.when[column] ?? { text: '-' }, ANY, scope));
	const above = constantsIn(cells.map((c) => c.compiled?.tests))
		.filter((l) => l instanceof Num && (order(l, from) ?? 0) > 0)
		.sort((a, b) => order(a, b) ?? 0)[0];
	const lo: Expr = { k: 'num', v: value };
	if (!above) return { k: 'cmp', op: '>=', e: lo };
	const hi: Expr = { k: 'num', v: String(toJson(above)) };
	return { k: 'is', e: { k: 'range', lo, loIn: true, hi, hiIn: false } };
}
