/** Rules carried into other workspaces: what they mean there is what they meant. */
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { demoModel } from '../../../demo/model';
import { demoDraft } from '../../../demo/rules';
import { demoTrials } from '../../../demo/trials';
import { Chance } from '../../../tests/chance';
import { zones } from '../../runtime/zones';
import { analyse } from '../check/findings';
import { inTrees } from '../check/formulas';
import { compareVersions } from '../compare/sets';
import { sayPlain } from '../conditions/words';
import type { Model } from '../document/model';
import { Schema, refKey } from '../document/model';
import type { RuleSet } from '../document/rules';
import { applied } from '../edit/edit';
import { modelFaults } from '../edit/model';
import { compilePlan } from '../plan/plan';
import { withoutRows } from '../tables/living';
import { runTrial } from '../trials/trials';
import { recordsNamed } from './bundle';
import { Carrier, type Identities } from './identities';
import { identitiesOf, meet, type BundleSide } from './meet';
import { modelOffers, modelWith } from './model';
import { partKey, trialsAgainst, withTaken, withUsed } from './take';

const NOTHING: Model = { types: [], lists: [], zone: demoModel.zone };
const nobody: BundleSide = { model: NOTHING, set: { rules: [], order: {} }, trials: [] };
const demo: BundleSide = { model: demoModel, set: demoDraft, trials: demoTrials };
const schemaOf = (model: Model, set: RuleSet) =>
	new Schema(model, { definitions: set.definitions, tables: set.tables });
const demoSchema = schemaOf(demoModel, demoDraft);
const named = recordsNamed(demoDraft, demoSchema);
const knownAs = (id: (id: string) => string | null): Identities['records'] =>
	new Map(named.map((r) => [refKey(r.type, r.id), id(r.id)]));

/** Identities exchanged among those of one kind, so that each means something else elsewhere. */
function exchangedBy(seed: number): Identities {
	const chance = new Chance(seed);
	const mixed = (ids: readonly string[], prefix = ''): [string, string][] => {
		const others = chance.mixed(ids);
		return ids.map((id, i) => [prefix + id, others[i]]);
	};
	const idsOf = (xs: readonly { id: string }[] = []) => xs.map((x) => x.id);
	return {
		types: new Map(mixed(idsOf(demoModel.types))),
		fields: new Map(demoModel.types.flatMap((t) => mixed(idsOf(t.fields), `${t.id}.`))),
		lists: new Map(mixed(idsOf(demoModel.lists))),
		options: new Map(demoModel.lists.flatMap((l) => mixed(idsOf(l.options), `${l.id}.`))),
		rules: new Map(mixed(idsOf(demoDraft.rules))),
		definitions: new Map(mixed(idsOf(demoDraft.definitions))),
		tables: new Map(mixed(idsOf(demoDraft.tables))),
		columns: new Map((demoDraft.tables ?? []).flatMap((t) => mixed(idsOf(t.columns), `${t.id}.`))),
		records: knownAs((id) => String(5000 + Number(id)))
	};
}
const turned = (m: ReadonlyMap<string, string>, prefix = (k: string) => k): Map<string, string> =>
	new Map(
		[...m].map(([k, v]) => {
			const dot = k.lastIndexOf('.');
			return dot < 0 ? [v, k] : [`${prefix(k.slice(0, dot))}.${v}`, k.slice(dot + 1)];
		})
	);
/** The way back. */
const backFrom = (to: Identities): Identities => ({
	types: turned(to.types),
	fields: turned(to.fields, (t) => to.types.get(t)!),
	lists: turned(to.lists),
	options: turned(to.options, (l) => to.lists.get(l)!),
	rules: turned(to.rules),
	definitions: turned(to.definitions),
	tables: turned(to.tables),
	columns: turned(to.columns, (t) => to.tables.get(t)!),
	records: turned(to.records as Map<string, string>, (t) => to.types.get(t)!)
});
/** The demo's model in other identities, and everything else with it. */
function elsewhere(to: Identities) {
	const model = {
		...modelWith(demoModel, NOTHING, to, meet(demo, nobody)),
		personType: to.types.get(demoModel.personType ?? '')
	} as Model;
	const carrier = new Carrier(demoSchema, to, demoDraft.rules);
	const set = carrier.set(demoDraft);
	return { model, set, trials: demoTrials.map((t) => carrier.trial(t)), carrier };
}
const sayAs =
	(schema: Schema) => (f: Parameters<typeof sayPlain>[0], v: Parameters<typeof sayPlain>[1]) =>
		sayPlain(f, v, schema);

describe('rules in the identities of another workspace', () => {
	const seeds = fc.integer({ min: 1, max: 1_000_000 });
	it('give every trial what they gave it, whatever each identity is there', () => {
		const here = compilePlan(demoSchema, demoDraft);
		const before = demoTrials.map((t) => runTrial(here, t, zones));
		expect(before.some((r) => r.held) && before.some((r) => !r.held)).toBe(true);
		fc.assert(
			fc.property(seeds, (seed) => {
				const to = exchangedBy(seed);
				const there = elsewhere(to);
				expect(modelFaults(there.model)).toEqual([]);
				const plan = compilePlan(schemaOf(there.model, there.set), there.set);
				expect(plan.problems).toEqual([]);
				there.trials.forEach((t, i) => {
					const after = runTrial(plan, t, zones);
					expect(after.fault).toBe(before[i].fault);
					expect(after.lines.map((l) => l.held)).toEqual(before[i].lines.map((l) => l.held));
					// what came is what came, under its name there
					const gave = before[i].lines.map((l) => {
						const x = l.expected;
						if (!('value' in x)) return l.got;
						const type = x.at?.type ?? demoTrials[i].type;
						const f = demoSchema.field(type, x.field)!;
						return f.type === 'link' ? null : there.carrier.value(f, l.got as string);
					});
					expect(after.lines.map((l, k) => (gave[k] === null ? null : l.got))).toEqual(gave);
				});
			}),
			{ numRuns: 12 }
		);
	});
	it('come back as they were', () => {
		fc.assert(
			fc.property(seeds, (seed) => {
				const to = exchangedBy(seed);
				const there = elsewhere(to);
				const back = new Carrier(schemaOf(there.model, there.set), backFrom(to), there.set.rules);
				const { accepted: _, ...plain } = inTrees(demoDraft, demoSchema);
				expect(back.set(there.set)).toEqual(plain);
				expect(there.trials.map((t) => back.trial(t))).toEqual(demoTrials);
			}),
			{ numRuns: 20 }
		);
	});
	it('have the same findings, in the same words', () => {
		const said = (model: Model, set: RuleSet) =>
			analyse(compilePlan(schemaOf(model, set), set), set, zones)
				.findings.map((f) => f.message)
				.sort();
		const there = elsewhere({ ...exchangedBy(7), records: knownAs((id) => id) });
		expect(said(there.model, there.set)).toEqual(said(demoModel, demoDraft));
	});
	it('say where a record is not known, and nothing else', () => {
		expect(named.length).toBeGreaterThan(3);
		const ids = identitiesOf(meet(demo, nobody), new Map());
		const { set } = elsewhere(ids);
		const links = (set.tables ?? []).flatMap((t) =>
			t.columns.flatMap((c, i) => (c.target ? t.rows.map((r) => r[i]) : []))
		);
		expect(links.length).toBeGreaterThan(0);
		expect(links.every((v) => v === null)).toBe(true);
		const other = compareVersions(
			{ model: demoModel, set: demoDraft },
			{ model: demoModel, set },
			sayAs
		);
		expect(other.every((c) => c.part === 'table' || c.part === 'rule')).toBe(true);
	});
	it('no two records of a trial fall together', () => {
		const trial = {
			...demoTrials[0],
			type: 'deal',
			was: { customer: '1' },
			near: [
				{ type: 'customer', id: '1', values: {} },
				{ type: 'customer', id: '2', values: {} },
				{ type: 'customer', id: '3', values: {} }
			]
		};
		const ids = identitiesOf(meet(demo, demo), new Map([['customer.1', '2']]));
		const { near, was } = new Carrier(demoSchema, ids, demoDraft.rules).trial(trial);
		expect(new Set(near!.map((r) => r.id)).size).toBe(3);
		expect(near![0].id).toBe('2');
		expect(near![2].id).toBe('3');
		expect(was!.customer).toBe('2');
	});
});

describe('what a bundle meets', () => {
	it('is itself, in the workspace that it comes from', () => {
		const met = meet(demo, demo);
		expect(met.every((m) => !m.isNew && m.by === 'identity' && m.here === m.id && !m.unlike)).toBe(
			true
		);
		expect(modelWith(demoModel, demoModel, identitiesOf(met, new Map()), met)).toEqual(demoModel);
	});
	it('is new in an empty workspace, with the identities it has', () => {
		const met = meet(demo, nobody);
		expect(met.every((m) => m.isNew && m.here === m.id)).toBe(true);
		const model = modelWith(demoModel, NOTHING, identitiesOf(met, new Map()), met);
		expect({ ...model, personType: demoModel.personType }).toEqual(demoModel);
		// and piece by piece
		const offers = modelOffers(NOTHING, model);
		expect(offers.every((o) => o.says === null)).toBe(true);
		expect(
			applied(
				NOTHING,
				offers.map((o) => o.piece)
			).set
		).toEqual(model);
	});
	const small = (fields: Model['types'][number]['fields'], options: string[] = []): BundleSide => ({
		model: {
			...NOTHING,
			lists: options.length
				? [
						{
							id: 'l',
							label: 'Sizes',
							options: options.map((o) => ({ id: o, label: `Size ${o}` }))
						}
					]
				: [],
			types: [
				{ id: 't', label: 'Thing', plural: 'Things', title: 'name', short: [], columns: [], fields }
			]
		},
		set: { rules: [], order: {} },
		trials: []
	});
	const text = (id: string, label: string) => ({ id, label, group: 'Main', type: 'text' as const });
	it('is known by identity before name, and by name where nothing has its identity', () => {
		const met = meet(
			small([text('name', 'Name'), text('a', 'First'), text('b', 'Second')]),
			small([text('name', 'Name'), text('a', 'Second'), text('c', 'First')])
		);
		const field = (id: string) => met.find((m) => m.key === `field t.${id}`)!;
		expect(field('a')).toMatchObject({ here: 'a', by: 'identity', otherwise: 'Second' });
		expect(field('b')).toMatchObject({ isNew: true, here: 'b' });
	});
	it('one that holds something else is taken last, and told to be unlike', () => {
		const number = { ...text('size', 'Size'), type: 'number' as const };
		const one = meet(small([number]), small([text('size', 'Size')]));
		expect(one.find((m) => m.part === 'field')).toMatchObject({
			here: 'size',
			unlike: 'a number there, a text here'
		});
		const two = meet(small([number]), small([text('size', 'Size'), { ...number, id: 'n' }]));
		expect(two.find((m) => m.part === 'field')).toMatchObject({ here: 'n', unlike: null });
		// said to be something new, it gets a name and an identity of its own
		const key = 'field t.size';
		const here = small([text('size', 'Size')]);
		const three = meet(small([number]), here, { [key]: null });
		const ids = identitiesOf(three, new Map());
		const model = modelWith(small([number]).model, here.model, ids, three);
		expect(model.types[0].fields.map((f) => [f.id, f.label, f.type])).toEqual([
			['size', 'Size', 'text'],
			['size_2', 'Size (2)', 'number']
		]);
		expect(modelFaults(model)).toEqual(modelFaults(here.model));
	});
	it('what is chosen for one is not proposed for another', () => {
		const met = meet(small([], ['a', 'b']), small([], ['a', 'b']), { 'option l.a': 'b' });
		const here = Object.fromEntries(
			met.filter((m) => m.part === 'option').map((m) => [m.id, [m.here, m.isNew]])
		);
		expect(here).toEqual({ a: ['b', false], b: ['b_2', true] });
	});
	it('names that every object has are identities as others are', () => {
		const odd = ['constructor', 'toString', 'valueOf'].map((id) => text(id, id));
		const met = meet(small(odd), small([text('name', 'Name')]));
		expect(met.filter((m) => m.part === 'field').every((m) => m.isNew)).toBe(true);
	});
	it('a model with something of its own keeps it, and is offered what is otherwise', () => {
		const mine = structuredClone(demoModel);
		const customer = mine.types.find((t) => t.id === 'customer')!;
		customer.fields.push(text('own', 'Own field'));
		customer.fields.find((f) => f.id === 'headcount')!.label = 'Employees';
		customer.fields = customer.fields.filter((f) => f.id !== 'glass_area');
		customer.short = customer.short.filter((id) => id !== 'glass_area');
		customer.columns = customer.columns.filter((id) => id !== 'glass_area');
		const here = { ...nobody, model: mine };
		const met = meet(demo, here);
		const wanted = modelWith(demoModel, mine, identitiesOf(met, new Map()), met);
		const offers = modelOffers(mine, wanted);
		expect(offers.find((o) => o.key === 'types customer fields headcount label')?.says).toEqual({
			attribute: 'label',
			here: 'Employees',
			there: 'Headcount'
		});
		expect(offers.find((o) => o.key === 'types customer fields glass_area')?.says).toBeNull();
		const next = applied(
			mine,
			offers.filter((o) => !o.says).map((o) => o.piece)
		).set;
		expect(modelFaults(next)).toEqual([]);
		const fields = next.types.find((t) => t.id === 'customer')!.fields;
		expect(fields.find((f) => f.id === 'headcount')!.label).toBe('Employees');
		expect(fields.some((f) => f.id === 'own') && fields.some((f) => f.id === 'glass_area')).toBe(
			true
		);
	});
});

describe('what is taken', () => {
	const all = (set: RuleSet) =>
		new Set([
			...set.rules.map((r) => partKey('rule', r.id)),
			...(set.definitions ?? []).map((d) => partKey('definition', d.id)),
			...(set.tables ?? []).map((t) => partKey('table', t.id)),
			...Object.keys(set.order).map((k) => partKey('order', k))
		]);
	const { accepted: _, ...draft } = demoDraft;
	it('whole into nothing is what it was; nothing of it changes nothing', () => {
		expect(withTaken({ rules: [], order: {} }, draft, all(draft))).toEqual(draft);
		// of living tables a draft holds no rows
		const stored = { ...demoDraft, tables: demoDraft.tables!.map(withoutRows) };
		expect(withTaken(stored, draft, all(draft))).toEqual(stored);
		expect(withTaken(draft, { rules: [], order: {} }, new Set())).toEqual(draft);
	});
	it('goes with what it uses, and what that uses in its turn', () => {
		const of = (...keys: string[]) => [...withUsed(draft, keys)].sort();
		expect(of('rule net_amount')).toEqual(['definition left', 'rule net_amount']);
		expect(of('rule country_desk')).toEqual(['rule country_desk', 'table country_desk']);
		expect(of('table country_desk')).toEqual(['table country_desk']);
		expect(of('rule urgency', 'order deal.net_amount')).toEqual([
			'order deal.net_amount',
			'rule urgency'
		]);
		const { body } = draft.definitions!.find((d) => d.id === 'left')!;
		const further = {
			...draft,
			definitions: [
				{ ...draft.definitions![0], id: 'base', name: 'Base', body },
				...draft.definitions!.map((d) =>
					d.id === 'left'
						? { ...d, body: { expr: { k: 'use', definition: 'base', args: [] } as never } }
						: d
				)
			]
		};
		expect([...withUsed(further, ['rule net_amount'])].sort()).toEqual([
			'definition base',
			'definition left',
			'rule net_amount'
		]);
	});
	it('any part of it leaves the others as they are', () => {
		fc.assert(
			fc.property(
				fc.subarray(draft.rules.map((r) => r.id)),
				fc.subarray(draft.rules.map((r) => r.id)),
				(kept, chosen) => {
					const mine: RuleSet = {
						...draft,
						rules: draft.rules
							.filter((r) => kept.includes(r.id))
							.map((r) => ({ ...r, why: 'mine' }))
					};
					const keys = new Set(chosen.map((id) => partKey('rule', id)));
					const next = withTaken(mine, draft, keys);
					const ids = new Set(next.rules.map((r) => r.id));
					expect(ids).toEqual(new Set([...kept, ...chosen]));
					for (const r of next.rules) expect(r.why === 'mine').toBe(!chosen.includes(r.id));
				}
			),
			{ numRuns: 60 }
		);
	});
	it('new rules stand in the claim order where they stood, and whoever stood there keeps the order', () => {
		const rule = (id: string): RuleSet['rules'][number] => ({
			...draft.rules[0],
			id,
			name: id,
			outputs: [{ ...draft.rules[0].outputs[0], id: 'o' }]
		});
		const key = refKey(draft.rules[0].type, draft.rules[0].outputs[0].field);
		const set = (ids: string[], order = ids): RuleSet => ({
			rules: ids.map(rule),
			order: { [key]: order.map((id) => `${id}:o`) }
		});
		const order = (s: RuleSet) => (s.order[key] ?? []).map((c) => c.slice(0, -2));
		const mine = set(['a', 'c', 'm']);
		const taken = set(['c', 'b', 'a', 'd'], ['c', 'b', 'a', 'd']);
		const some = new Set(['b', 'd'].map((id) => partKey('rule', id)));
		expect(order(withTaken(mine, taken, some))).toEqual(['a', 'd', 'c', 'b', 'm']);
		// the order of the bundle itself, with what only stands here behind what it stood behind
		const whole = new Set([...some, partKey('order', key)]);
		expect(order(withTaken(mine, taken, whole))).toEqual(['c', 'm', 'b', 'a', 'd']);
	});
	it('rows of a table that is living here are those here', () => {
		const t = { ...draft.tables![0], living: true as const };
		const here = { ...draft, tables: [{ ...t, rows: [], label: 'Before' }] };
		const next = withTaken(here, { ...draft, tables: [t] }, new Set([partKey('table', t.id)]));
		expect(next.tables).toEqual([{ ...t, rows: [] }]);
		const fresh = withTaken(
			{ rules: [], order: {} },
			{ ...draft, tables: [t] },
			new Set([partKey('table', t.id)])
		);
		expect(fresh.tables![0].rows).toEqual(t.rows);
	});
	it('trials are new, changed, or the same', () => {
		const [a, b, c] = demoTrials;
		expect(trialsAgainst([a, { ...b, name: 'Other' }], [a, b, c]).map((t) => t.what)).toEqual([
			'same',
			'changed',
			'new'
		]);
	});
});
