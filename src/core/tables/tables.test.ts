import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import type { JsonValue } from '../fields/codec';
import type { ReferenceTable } from '../document/model';
import type { Body, DecisionBody, HitPolicy, Output, Rule } from '../document/rules';
import { compilePlan } from '../plan/plan';
import { parseTests } from '../feel/parse';
import { reason } from '../explain/reason';
import { outcome, planOf, rule, run, schema } from '../../../tests/world';
import { fromJson } from '../fields/codec';
import { indexTable } from './reference';
import { looseKey } from '../text/loose';
import { order } from '../value/value';

const text = (t: string) => ({ text: t });

/** A table over fields of the world: `inputs`, then a line a row, cells apart by `|`, results behind `=>`. */
function table(
	hit: HitPolicy,
	inputs: string[],
	lines: string,
	priority?: JsonValue[][]
): DecisionBody {
	return {
		kind: 'table',
		hit,
		inputs: inputs.map(text),
		...(priority ? { priority } : {}),
		rows: lines
			.trim()
			.split('\n')
			.map((l, i) => {
				const [when, then] = l.split('=>');
				return {
					id: `r${i}`,
					when: when.split('|').map((c) => text(c.trim())),
					then: then.split('|').map((c) => text(c.trim()))
				};
			})
	};
}
const on = (field: string, body: Body, output: Partial<Output> = {}): Rule =>
	rule(field, body, { output });

// DMN 1.5, 8.2.10: the meaning of each hit policy; the tables are made up
describe('hit policies', () => {
	it('any with two outputs: rows that both match must agree on every output', () => {
		const two = (second: string) => {
			const r = rule('b', table('A', ['A'], `>= 10 => 1 | 5\n>= 20 => 1 | ${second}`));
			r.outputs.push({ id: 'p', field: 'c', hold: 'follow', none: 'next' });
			return run(planOf(r), { a: '25' }).json;
		};
		expect(two('5')).toMatchObject({ b: '1', c: '5' });
		expect(two('6')).toMatchObject({ b: null, c: null });
	});
	const lines = `
		>= 10 => 1
		>= 20 => 2
		>= 30 => 2
	`;
	const gives = (hit: HitPolicy, a: string | null, priority?: JsonValue[][]) => {
		const r = run(planOf(on('b', table(hit, ['A'], lines, priority))), { a });
		return [r.json.b, ...outcome(r, 'b')];
	};
	it.each<[HitPolicy, string | null, JsonValue, string]>([
		['U', '15', '1', 'wrote'],
		['U', '25', null, 'several rows'],
		['U', '5', null, 'no row'],
		['U', null, null, 'not triggered'],
		['A', '15', '1', 'wrote'],
		['A', '25', null, 'several rows'],
		['F', '35', '1', 'wrote'],
		['C+', '35', '5', 'wrote'],
		['C<', '35', '1', 'wrote'],
		['C>', '35', '2', 'wrote'],
		['C#', '35', '3', 'wrote'],
		['C#', '5', '0', 'wrote'],
		['C+', '5', null, 'no row']
	])('%s of %s gives %s: %s', (hit, a, value, what) => {
		expect(gives(hit, a)).toEqual([value, what]);
	});
	it('P takes the most important value, whatever the order of the rows', () => {
		expect(gives('P', '25', [['2', '1']])).toEqual(['2', 'wrote']);
		expect(gives('P', '25', [['1', '2']])).toEqual(['1', 'wrote']);
		expect(planOf(on('b', table('P', ['A'], lines))).problems[0].message).toContain(
			'most important first'
		);
	});
	it('P and O go by the order of the options where the field has them', () => {
		const sizes = `
			>= 10 => "Large"
			>= 20 => "Micro"
			>= 30 => "Medium"
		`;
		expect(run(planOf(on('size', table('P', ['A'], sizes))), { a: '40' }).json.size).toBe('micro');
		expect(run(planOf(on('sizes', table('O', ['A'], sizes))), { a: '40' }).json.sizes).toEqual([
			'micro',
			'medium',
			'large'
		]);
	});
	it('R and C give the results of all rows, in their order; A allows rows that agree', () => {
		const sizes = `
			>= 10 => "Large"
			>= 20 => "Micro"
			>= 30 => "Large"
		`;
		for (const hit of ['R', 'C'] as const)
			expect(run(planOf(on('sizes', table(hit, ['A'], sizes))), { a: '40' }).json.sizes).toEqual([
				'large',
				'micro'
			]);
		const alike = `
			>= 10 => "Large"
			>= 20 => "Large"
		`;
		expect(run(planOf(on('size', table('A', ['A'], alike))), { a: '40' }).json.size).toBe('large');
	});
	it('say where they do not fit the field', () => {
		expect(planOf(on('a', table('R', ['B'], '- => 1'))).problems[0].message).toContain(
			'gives a list'
		);
		expect(planOf(on('t', table('C+', ['B'], '- => 1'))).problems[0].message).toContain('a number');
	});
});

// recalled from memory of the DMN specification's example decision, “pre-bureau risk category”
describe('the pre-bureau risk table of the standard', () => {
	const risk = on(
		'size',
		table(
			'U',
			['Flag', 'A'],
			`
			false | < 100 => "Large"
			false | [100..120) => "Medium"
			false | [120..130] => "Small"
			false | > 130 => "Micro"
			true | < 80 => "Large"
			true | [80..90) => "Medium"
			true | [90..110] => "Small"
			true | > 110 => "Micro"
		`
		)
	);
	const plan = planOf(risk);
	it.each([
		[false, '99', 'large'],
		[false, '100', 'medium'],
		[false, '119.99', 'medium'],
		[false, '120', 'small'],
		[false, '130', 'small'],
		[false, '130.01', 'micro'],
		[true, '79', 'large'],
		[true, '90', 'small'],
		[true, '110', 'small'],
		[true, '111', 'micro']
	])('existing customer %s with score %s is %s', (flag, a, size) => {
		expect(run(plan, { flag, a }).json.size).toBe(size);
	});
});

describe('decision tables', () => {
	it('give several fields, each from the same row; an empty result is no result', () => {
		const body: Body = {
			kind: 'table',
			hit: 'F',
			inputs: [text('Stage')],
			rows: [
				{ id: '1', when: [text('"Won"')], then: [text('A * 2'), text('"done"')] },
				{ id: '2', when: [text('-')], then: [null, text('"open"')] }
			]
		};
		const two = rule('b', body);
		two.outputs.push({ id: 'p', field: 't', hold: 'follow', none: 'next' });
		const plan = planOf(two);
		expect(run(plan, { stage: 'won', a: '4' }).json).toMatchObject({ b: '8', t: 'done' });
		expect(run(plan, { stage: 'lost', a: '4' }).json).toMatchObject({ b: null, t: 'open' });
	});
	it('explain which row matched, and the cell at which each other failed', () => {
		const plan = planOf(
			on('b', table('U', ['A', 'Stage'], `< 5 | - => 1\n>= 5 | "Won" => 2\n>= 5 | "Lost" => 3`))
		);
		const r = run(plan, { a: '7', stage: 'lost' });
		const [report] = r.reports;
		expect(report.table!.rows).toEqual([
			// the rest of both rows holds
			{ row: 0, cell: 0, alone: true },
			{ row: 1, cell: 1, alone: true },
			{ row: 2, cell: null }
		]);
		expect(run(plan, { a: '3', stage: 'lost' }).reports[0].table!.rows[1]).toEqual({
			row: 1,
			cell: 0
		});
		expect(reason(plan, report)).toBe('row 3 matches A 7, Stage Lost');
		expect(reason(plan, run(plan, { a: '7', stage: 'offer' }).reports[0])).toBe(
			'no row of its table matches A 7, Stage Offer'
		);
	});
	it('say what a blank gives: a row may test for it, else it is named as the cause', () => {
		const rows = '< 5 => 1\nnull => 9';
		expect(
			run(planOf(on('b', table('U', ['C'], rows))), { c: null }, { was: { c: '4' } }).json.b
		).toBe('9');
		const plan = planOf(on('b', table('U', ['C'], '< 5 => 1')));
		const r = run(plan, { c: null }, { was: { c: '4' } });
		expect(outcome(r, 'b')).toEqual(['blank']);
		expect(reason(plan, r.reports[0])).toBe('C is blank');
	});
	it('name the cell of a fault', () => {
		const places = planOf(
			on('size', table('U', ['Stage'], '"Wom" => "Micro"\n- => "Tiny"'))
		).problems;
		expect(places.map((p) => p.place)).toEqual(['cell 0 0', 'then 1 0']);
		expect(places[0].message).toContain('Did you mean “Won”?');
	});
	it('agree with a scan of the rows for any table of ranges', () => {
		const cell = fc.record({
			lo: fc.integer({ min: 0, max: 9 }),
			n: fc.integer({ min: 0, max: 4 }),
			any: fc.boolean()
		});
		fc.assert(
			fc.property(
				fc.array(fc.tuple(cell, cell), { minLength: 1, maxLength: 6 }),
				fc.integer({ min: 0, max: 12 }),
				fc.integer({ min: 0, max: 12 }),
				(rows, a, b) => {
					const show = (c: { lo: number; n: number; any: boolean }) =>
						c.any ? '-' : `[${c.lo}..${c.lo + c.n}]`;
					const takes = (c: { lo: number; n: number; any: boolean }, x: number) =>
						c.any || (x >= c.lo && x <= c.lo + c.n);
					const lines = rows.map(([x, y], i) => `${show(x)} | ${show(y)} => ${i + 1}`).join('\n');
					const hits = rows.flatMap(([x, y], i) => (takes(x, a) && takes(y, b) ? [i + 1] : []));
					const plan = planOf(
						on('c', table('U', ['A', 'B'], lines)),
						on('d', table('F', ['A', 'B'], lines)),
						on('e', table('C+', ['A', 'B'], lines))
					);
					const r = run(plan, { a: String(a), b: String(b) });
					expect(r.json.c).toBe(hits.length === 1 ? String(hits[0]) : null);
					expect(r.json.d).toBe(hits.length ? String(hits[0]) : null);
					expect(r.json.e).toBe(hits.length ? String(hits.reduce((p, q) => p + q)) : null);
				}
			),
			{ numRuns: 200 }
		);
	});
	it('read tests that are stored as trees under today’s labels', () => {
		const tests = parseTests('"Won", "Lost"', { schema, type: 'thing' });
		const body: Body = {
			kind: 'table',
			hit: 'U',
			inputs: [text('Stage')],
			rows: [{ id: '1', when: [{ tests }], then: [text('1')] }]
		};
		expect(run(planOf(on('a', body)), { stage: 'lost' }).json.a).toBe('1');
	});
});

const desk: ReferenceTable = {
	id: 'desk',
	label: 'Desk',
	why: '',
	columns: [
		{ id: 'stage', label: 'Stage', type: 'choice', list: 'stage' },
		{ id: 'size', label: 'Size', type: 'choice', list: 'size' },
		{ id: 'rate', label: 'Rate', type: 'number' }
	],
	keys: [{ match: 'exact', column: 'stage' }],
	rows: [
		['won', 'large', '5'],
		['lost', 'micro', null],
		['offer', 'small', '7'],
		['offer', 'medium', '8']
	]
};
const lookup = (
	columns: string[],
	keys: string[],
	several: 'first' | 'no result' = 'no result',
	t = 'desk'
): Body => ({
	kind: 'lookup',
	table: t,
	keys: keys.map(text),
	columns,
	several
});
const withTables = (r: Rule, ...tables: ReferenceTable[]) =>
	compilePlan(schema, { rules: [r], order: {}, tables });

describe('look-ups in reference tables', () => {
	const two = rule('size', lookup(['size', 'rate'], ['Stage']));
	two.outputs.push({ id: 'p', field: 'b', hold: 'follow', none: 'clear' });
	const plan = withTables(two, desk);
	it('give several outputs from one row; none, several and blank cells are each said', () => {
		expect(plan.problems).toEqual([]);
		expect(run(plan, { stage: 'won' }).json).toMatchObject({ size: 'large', b: '5' });
		const lost = run(plan, { stage: 'lost' }, { was: { b: '3' } });
		expect(lost.json).toMatchObject({ size: 'micro', b: null });
		const offer = run(plan, { stage: 'offer' });
		expect(outcome(offer, 'size')).toEqual(['several rows']);
		expect(reason(plan, offer.reports[0])).toBe('rows 3, 4 of “Desk” all match Stage Offer');
		expect(outcome(run(plan, { stage: 'survey' }), 'size')).toEqual(['no row']);
		expect(reason(plan, run(plan, { stage: 'won' }).reports[0])).toBe(
			'row 1 of “Desk” matches Stage Won'
		);
		const first = withTables(rule('size', lookup(['size'], ['Stage'], 'first')), desk);
		expect(run(first, { stage: 'offer' }).json.size).toBe('small');
	});
	it('are refused with the place where table, key or column do not fit', () => {
		const say = (r: Rule, ...t: ReferenceTable[]) => withTables(r, ...t).problems[0];
		expect(say(rule('size', lookup(['size'], ['Stage'])))).toMatchObject({ place: 'input' });
		expect(say(rule('size', lookup(['rate'], ['Stage'])), desk)).toMatchObject({
			place: 'column 0'
		});
		expect(say(rule('size', lookup(['size'], ['A'])), desk)).toMatchObject({ place: 'key 0' });
		const wrong = { ...desk, rows: [['won', 'huge', '1']] };
		expect(say(rule('size', lookup(['size'], ['Stage'])), wrong).message).toContain(
			'Row 1: Size has no option “huge”'
		);
	});
	it('valid on a date: both ends count, a blank end is open', () => {
		const rates: ReferenceTable = {
			id: 'desk',
			label: 'Rates',
			why: '',
			columns: [
				{ id: 'from', label: 'From', type: 'date' },
				{ id: 'to', label: 'To', type: 'date' },
				{ id: 'rate', label: 'Rate', type: 'number' }
			],
			keys: [{ match: 'range', from: 'from', to: 'to' }],
			rows: [
				['2026-01-01', '2026-06-30', '1'],
				['2026-07-01', null, '2']
			]
		};
		const p = withTables(rule('a', lookup(['rate'], ['Day'])), rates);
		for (const [day, rate] of [
			['2025-12-31', null],
			['2026-01-01', '1'],
			['2026-06-30', '1'],
			['2026-07-01', '2'],
			['2031-01-01', '2']
		])
			expect([day, run(p, { day }).json.a]).toEqual([day, rate]);
	});

	const postcodes: ReferenceTable = {
		id: 'p',
		label: 'P',
		why: '',
		columns: [
			{ id: 'land', label: 'Land', type: 'text' },
			{ id: 'code', label: 'Code', type: 'text' },
			{ id: 'x', label: 'X', type: 'number' }
		],
		keys: [
			{ match: 'loose', column: 'land' },
			{ match: 'prefix', column: 'code' }
		],
		rows: [
			['Côte d’Azur', '06', '1'],
			['Côte d’Azur', '061', '2'],
			['Côte d’Azur', null, '3'],
			['Ås', 'N 2', '4']
		]
	};
	it.each([
		['cote d’azur', '06100', '2'],
		['COTE D’AZUR', '0650', '1'],
		['Côte  d’Azur', '9', '3'],
		['as', 'n2 11', '4'],
		['as', '9', null]
	])('%s %s: loose text and the longest prefix give %s', (t, u, a) => {
		const p = withTables(
			rule('a', lookup(['x'], ['Text', 'Other text'], 'no result', 'p')),
			postcodes
		);
		expect(run(p, { t, u }).json.a).toBe(a);
	});

	it('find what a scan of all rows finds, for any table and any mix of keys', () => {
		const word = fc.stringMatching(/^[ab]{0,3}$/);
		const day = fc.option(fc.integer({ min: 0, max: 20 }), { freq: 4 });
		const rows = fc.array(fc.tuple(word, word, day, day, word), { maxLength: 25 });
		const columns = ['text', 'text', 'number', 'number', 'text'].map((type, i) => ({
			id: `c${i}`,
			label: `C${i}`,
			type: type as 'text'
		}));
		fc.assert(
			fc.property(rows, word, word, fc.integer({ min: 0, max: 20 }), word, (data, a, b, x, c) => {
				const t: ReferenceTable = {
					id: 't',
					label: 'T',
					why: '',
					columns,
					keys: [
						{ match: 'exact', column: 'c0' },
						{ match: 'prefix', column: 'c1' },
						{ match: 'range', from: 'c2', to: 'c3' },
						{ match: 'loose', column: 'c4' }
					],
					rows: data.map((r) => r.map((v) => (v === null || v === '' ? null : String(v))))
				};
				const value = (v: string | number) => {
					const r = fromJson(
						{ id: '', label: '', group: '', type: typeof v === 'number' ? 'number' : 'text' },
						String(v),
						schema
					);
					return r.ok ? r.value : null;
				};
				const keys = [value(a), value(b), value(x), value(c)];
				const found = indexTable(t, schema).find(keys);
				const fits = data.flatMap((r, i) => {
					const ok =
						r[0] !== '' &&
						r[0] === a &&
						b.toUpperCase().startsWith(r[1].toUpperCase()) &&
						(r[2] === null || r[2] <= x) &&
						(r[3] === null || r[3] >= x) &&
						r[4] !== '' &&
						looseKey(r[4]) === looseKey(c);
					return ok ? [i] : [];
				});
				const longest = Math.max(...fits.map((i) => data[i][1].length));
				const wanted = keys.includes(null) ? [] : fits.filter((i) => data[i][1].length === longest);
				expect(found).toEqual(wanted);
			}),
			{ numRuns: 1500 }
		);
	});
	it('of an edited table are those of one that was never seen, though the other rows are known', () => {
		const word = fc.constantFrom('a', 'ab', 'b', null);
		// what is no number is a fault, and some have more than are told
		const number = fc.constantFrom('1', '5', '9', null, 'none');
		const row = fc.tuple(word, word, number, number).map((r): JsonValue[] => [...r]);
		const columns: ReferenceTable['columns'] = ['text', 'text', 'number', 'number'].map(
			(type, i) => ({ id: `c${i}`, label: `C${i}`, type: type as 'text' })
		);
		const keys: ReferenceTable['keys'] = [
			{ match: 'exact', column: 'c0' },
			{ match: 'prefix', column: 'c1' },
			{ match: 'range', from: 'c2', to: 'c3' }
		];
		const base: ReferenceTable = { id: 't', label: 'T', why: '', columns, keys, rows: [] };
		const five = fromJson({ id: '', label: '', group: '', type: 'number' }, '5', schema);
		const points = ['a', 'b'].flatMap((a) =>
			['ab', 'ba'].map((b) => [a, b, five.ok ? five.value : 0])
		);
		const edits = fc.array(
			fc.oneof(
				fc.record({ at: fc.nat(200), row }),
				fc.record({ gone: fc.nat(200) }),
				// the same rows found by other keys, or with a column less
				fc.constant('keys' as const),
				fc.constant('columns' as const)
			),
			{ minLength: 1, maxLength: 6 }
		);
		fc.assert(
			fc.property(fc.array(row, { maxLength: 30 }), fc.nat(8), edits, (some, times, steps) => {
				let t: ReferenceTable = {
					...base,
					rows: Array(times * 3 + 1)
						.fill(some)
						.flat()
				};
				const same = () => {
					const [known, fresh] = [t, structuredClone(t)].map((x) => indexTable(x, schema));
					expect(known.faults).toEqual(fresh.faults);
					for (const p of points) {
						const values = t.keys.map((k) => p[keys.indexOf(k)] as never);
						expect(known.find(values)).toEqual(fresh.find(values));
					}
					t.rows.forEach((r, i) =>
						r.forEach((_, c) => expect(known.value(i, c)).toEqual(fresh.value(i, c)))
					);
				};
				same();
				for (const s of steps) {
					if (s === 'keys') t = { ...t, keys: t.keys.length === 3 ? keys.slice(1) : keys };
					else if (s === 'columns') t = { ...t, columns: [...columns] };
					else if ('gone' in s) t = { ...t, rows: t.rows.filter((_, i) => i !== s.gone) };
					else t = { ...t, rows: t.rows.map((r, i) => (i === s.at % t.rows.length ? s.row : r)) };
					same();
				}
			}),
			{ numRuns: 60 }
		);
	});

	it('find every range that holds a point, in tables of many overlapping ranges', () => {
		const ranges = fc.array(
			fc.tuple(
				fc.option(fc.integer({ min: 0, max: 99 }), { freq: 9 }),
				fc.option(fc.nat(40), { freq: 9 })
			),
			{ maxLength: 80 }
		);
		fc.assert(
			fc.property(ranges, fc.integer({ min: 0, max: 140 }), (data, x) => {
				const rows = data.map(([lo, n]) => [lo, n === null ? null : (lo ?? 0) + n]);
				const t: ReferenceTable = {
					id: 't',
					label: 'T',
					why: '',
					columns: ['lo', 'hi'].map((id) => ({ id, label: id, type: 'number' })),
					keys: [{ match: 'range', from: 'lo', to: 'hi' }],
					rows: rows.map((r) => r.map((v) => (v === null ? null : String(v))))
				};
				const point = fromJson({ id: '', label: '', group: '', type: 'number' }, String(x), schema);
				if (!point.ok) throw new Error();
				expect(order(point.value, point.value)).toBe(0);
				const wanted = rows.flatMap(([lo, hi], i) =>
					(lo === null || lo <= x) && (hi === null || x <= hi) ? [i] : []
				);
				expect(indexTable(t, schema).find([point.value])).toEqual(wanted);
			}),
			{ numRuns: 500 }
		);
	});
});
