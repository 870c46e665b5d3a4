import { describe, expect, it } from 'vitest';
import { demoModel } from '../../../demo/model';
import { demoDraft, demoReleases } from '../../../demo/rules';
import { sayPlain, type SayValue } from '../conditions/words';
import type { Schema } from '../document/model';
import { demoTrials } from '../../../demo/trials';
import { zones } from '../../runtime/zones';
import { compareVersions, noteOf, trialsApart, type Compared } from './sets';

const sayAs =
	(schema: Schema): SayValue =>
	(f, v) =>
		sayPlain(f, v, schema);
const force = { model: demoModel, set: demoReleases.at(-1)!.set };
const draft = { model: demoModel, set: demoDraft };
const compare = (a: typeof force, b: typeof force) => compareVersions(a, b, sayAs);
const part = (all: readonly Compared[], of: Compared['part']) => all.filter((c) => c.part === of);

describe('trials in two versions', () => {
	it('are apart where they come out otherwise, with what each gives', () => {
		const apart = trialsApart(force, draft, demoTrials, zones);
		expect(apart.map((x) => x.trial.name)).toEqual(['Headcount 50', 'Headcount 51']);
		expect(apart[0].before.lines[0].got).toBe('medium');
		expect(apart[0].after.lines[0].got).toBe('small');
		expect(trialsApart(force, force, demoTrials, zones)).toEqual([]);
	});
	it('one that cannot be run in one of them is apart, and says why', () => {
		const model = structuredClone(demoModel);
		const customer = model.types.find((t) => t.id === 'customer')!;
		customer.fields = customer.fields.filter((f) => f.id !== 'size_class');
		const [first] = trialsApart(force, { ...force, model }, [demoTrials[0]], zones);
		expect(first.after.fault).toContain('size_class');
	});
});

describe('two versions', () => {
	it('that are the same differ in nothing, and have no note', () => {
		expect(compare(force, force)).toEqual([]);
		expect(compare(force, structuredClone(force))).toEqual([]);
		expect(noteOf([])).toBe('');
	});
	it('differ in terms of rules: which limit moved, which rule is new', () => {
		const all = compare(force, draft);
		const size = all.find((c) => c.id === 'size_class')!;
		expect(size).toMatchObject({ part: 'rule', what: 'changed' });
		expect(size.differences.map((d) => `${d.before} → ${d.after}`).join()).toContain('50');
		expect(all.filter((c) => c.what === 'new').map((c) => c.name)).toContain(
			'Service visits by glass area'
		);
		expect(noteOf(all)).toContain('Service visits by glass area (new)');
		expect(noteOf(all).length).toBeLessThanOrEqual(300);
	});
	it('the other way round: what was new is taken out, before and after exchanged', () => {
		const [there, back] = [compare(force, draft), compare(draft, force)];
		expect(back).toHaveLength(there.length);
		for (const c of there) {
			const other = back.find((x) => x.part === c.part && x.id === c.id)!;
			expect(other.what).toBe(
				{ new: 'removed', removed: 'new', changed: 'changed', order: 'order' }[c.what]
			);
			if (c.part === 'rule' && c.what === 'changed')
				expect(other.differences.map((d) => [d.after, d.before]).sort()).toEqual(
					c.differences.map((d) => [d.before, d.after]).sort()
				);
		}
	});
	it('tell which row of a table is new, which says otherwise, and which is gone', () => {
		const [table, ...others] = force.set.tables!;
		const [first, second, ...rest] = table.rows;
		const changed = second.map((v, i) => (table.columns[i].id === 'region' ? 'central' : v));
		const added = second.map((v, i) => (table.columns[i].id === 'country' ? 'slovenia' : v));
		const set = {
			...force.set,
			tables: [{ ...table, rows: [changed, ...rest, added] }, ...others]
		};
		const [t] = part(compare(force, { ...force, set }), 'table');
		const labels = t.differences.map((d) => [d.before === null, d.after === null]);
		expect(first).toBeDefined();
		expect(labels).toContainEqual([true, false]);
		expect(labels).toContainEqual([false, true]);
		expect(t.differences.find((d) => d.before !== null && d.after !== null)?.after).toContain(
			'Central'
		);
		expect(t.differences.find((d) => d.before === null)?.label).toBe('Row Slovenia');
	});
	it('tell claim orders by the names of their rules', () => {
		const [[key, order]] = Object.entries(force.set.order).filter(([, o]) => o.length > 1);
		const set = { ...force.set, order: { ...force.set.order, [key]: order.toReversed() } };
		const [o] = part(compare(force, { ...force, set }), 'order');
		expect(o.name).toMatch(/^Order of the rules for .* of /);
		const [d] = o.differences;
		expect(d.before!.split(', then ').toReversed().join(', then ')).toBe(d.after);
		expect(d.after).not.toContain(':');
	});
	it('tell what the model has otherwise: fields, options, types', () => {
		const model = structuredClone(demoModel);
		const customer = model.types.find((t) => t.id === 'customer')!;
		customer.fields = customer.fields.filter((f) => f.id !== 'label_lines');
		customer.fields.find((f) => f.id === 'phone')!.label = 'Telephone';
		model.lists[0].options.push({ id: 'brand_new', label: 'Brand new' });
		const told = part(compare(force, { ...force, model }), 'model');
		const said = told.map((c) => `${c.what} ${c.name}`);
		expect(said).toContain('removed Label lines of Customer');
		expect(said).toContain('changed Telephone of Customer');
		expect(said).toContain(`new “Brand new” of ${model.lists[0].label}`);
		expect(told.find((c) => c.name === 'Telephone of Customer')!.differences).toEqual([
			{ label: 'Name', before: 'Phone of Customer', after: 'Telephone of Customer' }
		]);
	});
});
