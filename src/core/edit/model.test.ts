/** Edits of the model: each as a new one, what is wrong at its place, and what is taken away. */
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { demoModel } from '../../../demo/model';
import type { Field, Model } from '../document/model';
import { isIdentity } from '../document/model';
import { applied, modelEditBetween, reversed } from './edit';
import {
	asType,
	freeOtherSide,
	identityFor,
	lossesBetween,
	modelFaults,
	modelPartName,
	newModelFaults,
	withField,
	withFieldAt,
	withList,
	withNewField,
	withNewList,
	withNewOptions,
	withNewType,
	withOption,
	withOptionAt,
	withType,
	withTypeAt,
	withoutField,
	withoutList,
	withoutOption,
	withoutType
} from './model';

const typeOf = (m: Model, id = 'customer') => m.types.find((t) => t.id === id)!;
const fieldOf = (m: Model, id: string, type = 'customer') =>
	typeOf(m, type).fields.find((f) => f.id === id)!;
const says = (m: Model) =>
	newModelFaults(demoModel, m).map((f) => [f.path.slice(1).join('.'), f.message]);

describe('the model of the demo', () => {
	it('has nothing wrong in it', () => {
		expect(modelFaults(demoModel)).toEqual([]);
	});
});

describe('an edit of the model', () => {
	const edits: [string, (m: Model) => Model][] = [
		['a new record type', (m) => withNewType(m, 'Greenhouse', 'Greenhouses')[0]],
		['a record type by another name', (m) => withType(m, 'lead', { label: 'Enquirer' })],
		['record types in another order', (m) => withTypeAt(m, 'deal', 0)],
		['the last record type first', (m) => withTypeAt(m, m.types.at(-1)!.id, 0)],
		[
			'a new field',
			(m) =>
				withNewField(m, 'customer', { label: 'Boiler age', group: 'Identity', type: 'number' })[0]
		],
		['a field by another name', (m) => withField(m, 'customer', 'headcount', { label: 'People' })],
		['a retired field', (m) => withField(m, 'customer', 'headcount', { retired: true })],
		['a field at another place', (m) => withFieldAt(m, 'customer', 'headcount', 0)],
		['a field at the end', (m) => withFieldAt(m, 'customer', 'headcount', 10_000)],
		['no field', (m) => withoutField(m, 'customer', 'headcount')],
		['another short form', (m) => withType(m, 'customer', { short: ['trading_name'] })],
		['a new list', (m) => withNewList(m, 'Glazing')[0]],
		['a list by another name', (m) => withList(m, 'country', 'Land')],
		['new options', (m) => withNewOptions(m, 'country', ['Austria', 'Spain', 'Austria'])],
		['an option by another name', (m) => withOption(m, 'country', 'poland', { label: 'Polska' })],
		['an option without its code', (m) => withOption(m, 'country', 'poland', { code: '' })],
		['a retired option', (m) => withOption(m, 'country', 'poland', { retired: true })],
		['options in another order', (m) => withOptionAt(m, 'country', 'poland', 0)],
		['no option', (m) => withoutOption(m, 'country', 'poland')],
		[
			'several things at once',
			(m) => withOptionAt(withFieldAt(m, 'deal', 'stage', 2), 'crop', 'rose', 0)
		]
	];
	it.each(edits)('is pieces that lead there and back: %s', (_, change) => {
		const after = change(demoModel);
		expect(after).not.toEqual(demoModel);
		const edit = modelEditBetween('e', demoModel, after);
		const there = applied(demoModel, edit.pieces);
		expect(there).toEqual({ set: after, refused: [] });
		expect(applied(after, reversed(edit).pieces)).toEqual({ set: demoModel, refused: [] });
		// what it does not touch is the very same
		const touched = new Set(edit.pieces.map((p) => p.path[1]));
		for (const t of demoModel.types) if (!touched.has(t.id)) expect(there.set.types).toContain(t);
	});
	it('of what somebody changed meanwhile is refused and changes nothing of that', () => {
		const mine = modelEditBetween(
			'e',
			demoModel,
			withField(demoModel, 'customer', 'headcount', { label: 'People' })
		);
		const theirs = withField(demoModel, 'customer', 'headcount', { label: 'Staff' });
		const { set, refused } = applied(theirs, mine.pieces);
		expect(fieldOf(set, 'headcount').label).toBe('Staff');
		expect(refused).toHaveLength(1);
		expect(modelPartName(theirs, refused[0].path)).toBe('Staff of Customer');
	});
	it('keeps a retired field out of the forms, and a removed one as well', () => {
		const id = typeOf(demoModel).columns.find(
			(c) => typeOf(demoModel).short.includes(c) && c !== typeOf(demoModel).title
		)!;
		for (const m of [
			withField(demoModel, 'customer', id, { retired: true }),
			withoutField(demoModel, 'customer', id)
		]) {
			expect(typeOf(m).short).not.toContain(id);
			expect(typeOf(m).columns).not.toContain(id);
		}
	});
	it('puts a field between two of a heading under that heading, at a border under its own', () => {
		const { fields } = typeOf(demoModel);
		const second = fields.findIndex((f) => f.group !== fields[0].group);
		const moved = withFieldAt(demoModel, 'customer', fields[second].id, 1);
		expect(typeOf(moved).fields[1]).toMatchObject({
			id: fields[second].id,
			group: fields[0].group
		});
		const still = withFieldAt(demoModel, 'customer', fields[0].id, second - 1);
		expect(typeOf(still).fields[second - 1].group).toBe(fields[0].group);
	});
	it('adds a field behind the last of its heading, with an identity of its own', () => {
		const { group } = typeOf(demoModel).fields[0];
		const [m, id] = withNewField(demoModel, 'customer', {
			label: 'Headcount!',
			group,
			type: 'text'
		});
		expect(id).toBe('headcount_2');
		const at = typeOf(m).fields.findIndex((f) => f.id === id);
		expect(typeOf(m).fields[at - 1].group).toBe(group);
		expect(typeOf(m).fields[at + 1]?.group).not.toBe(group);
	});
	it('passes over options that a list has, whatever their case', () => {
		expect(withNewOptions(demoModel, 'country', ['poland ', 'POLAND']).lists).toEqual(
			demoModel.lists
		);
	});
});

describe('an identity', () => {
	it('is made of any name, sound and free', () => {
		fc.assert(
			fc.property(fc.string({ unit: 'binary', maxLength: 90 }), fc.nat(5), (name, taken) => {
				const had = new Set<string>();
				for (let i = 0; i <= taken; i++) {
					const id = identityFor(name, (x) => had.has(x));
					expect(isIdentity(id)).toBe(true);
					expect(had.has(id)).toBe(false);
					had.add(id);
				}
			})
		);
	});
	it('is none that every object has', () => {
		expect(identityFor('constructor', () => false)).not.toBe('constructor');
		expect(identityFor('Élan % 2', () => false)).toBe('elan_percent_2');
	});
});

describe('the other side of a link', () => {
	it('gets a free name', () => {
		const at = { type: 'deal', field: '', label: 'Followed by' };
		expect(freeOtherSide(demoModel, 'district', at)).toBe('deals');
		expect(freeOtherSide(demoModel, 'customer', at)).toBe('deals by followed by');
		const taken = withNewField(demoModel, 'customer', {
			label: 'Deals by followed by',
			group: 'Identity',
			type: 'text'
		})[0];
		expect(freeOtherSide(taken, 'customer', at)).toBe('deals 2');
	});
	it('keeps the one it has', () => {
		const link = typeOf(demoModel, 'deal').fields.find((f) => f.target === 'customer')!;
		expect(link.inverse).toBe('deals');
		const at = { type: 'deal', field: link.id, label: link.label };
		expect(freeOtherSide(demoModel, 'customer', at)).toBe('deals');
	});
});

describe('what is wrong in a model', () => {
	const field = (change: Partial<Field>) =>
		says(withField(demoModel, 'customer', 'headcount', change));
	it.each([
		['no name', { label: ' ' }, 'label', 'Give the field a name.'],
		['a name too long', { label: 'x'.repeat(81) }, 'label', 'A name may have 80 characters.'],
		['two lines', { label: 'a\nb' }, 'label', 'A name is one line of text.'],
		[
			'a name it has',
			{ label: 'trading NAME' },
			'label',
			'Customer already has a field “trading NAME”.'
		],
		['no heading', { group: '' }, 'group', 'Give the heading a name.'],
		[
			'a list that is not there',
			{ type: 'choice' as const, list: 'x' },
			'list',
			'Choose the option list of this field.'
		],
		[
			'a link to nowhere',
			{ type: 'link' as const, target: 'x' },
			'target',
			'Choose the record type that this field links to.'
		],
		['decimals beyond', { places: 21 }, 'places', 'Decimals are a whole number from 0 to 20.'],
		[
			'decimals that are none',
			{ places: Number.NaN },
			'places',
			'Decimals are a whole number from 0 to 20.'
		],
		[
			'a currency that is none',
			{ type: 'money' as const, currency: 'Euro' },
			'currency',
			'A currency is a code of three letters, such as EUR.'
		],
		['a unit too long', { unit: 'm'.repeat(21) }, 'unit', 'A unit may have 20 characters.'],
		[
			'a key that cannot be one',
			{ type: 'date' as const, key: true },
			'key',
			'A key is a text, an address, a telephone number or a number.'
		]
	])('names its place: %s', (_, change, attribute, message) => {
		expect(field(change)).toContainEqual([`customer.fields.headcount.${attribute}`, message]);
	});
	it('is the other side of a link that has a name taken there', () => {
		const m = withNewField(demoModel, 'lead', {
			label: 'Grower',
			group: 'Identity',
			type: 'link',
			target: 'customer',
			inverse: 'headcount'
		})[0];
		expect(says(m)).toEqual([
			['lead.fields.grower.inverse', 'Customer already has something called “headcount”.']
		]);
	});
	it('is a record without a name', () => {
		const { title } = typeOf(demoModel);
		expect(says(withoutField(demoModel, 'customer', title))[0]).toEqual([
			'customer.title',
			'Say which field names customers.'
		]);
		expect(says(withField(demoModel, 'customer', title, { retired: true }))[0][1]).toContain(
			'names the record and cannot be retired'
		);
		expect(says(withField(demoModel, 'customer', title, { type: 'date' }))[0][1]).toContain(
			'What names a record is a text'
		);
	});
	it('is a list, an option or a code that is there twice', () => {
		expect(says(withList(demoModel, 'country', 'Crop'))[0][1]).toContain('already an option list');
		expect(says(withOption(demoModel, 'country', 'poland', { label: 'germany' }))[0][1]).toContain(
			'already has the option'
		);
		expect(says(withOption(demoModel, 'country', 'poland', { code: 'DE' }))).toEqual([
			['country.options.poland.code', 'Country already has the code DE.']
		]);
	});
	it('is a type that another one is called like, and none at all', () => {
		expect(says(withType(demoModel, 'lead', { plural: 'Customers' }))[0][1]).toContain('Customers');
		const none = demoModel.types.reduce((m, t) => withoutType(m, t.id), demoModel);
		expect(says(none)).toEqual([['', 'A workspace has at least one record type.']]);
	});
	it('is what a removed list or type leaves hanging', () => {
		expect(says(withoutList(demoModel, 'country')).map((x) => x[1])).toContain(
			'Choose the option list of this field.'
		);
		expect(says(withoutType(demoModel, 'engineer')).map((x) => x[1])).toContain(
			'Choose the record type that this field links to.'
		);
	});
});

describe('what an edit takes away', () => {
	it('is fields, types, and values that become others', () => {
		expect(
			lossesBetween(demoModel, withField(demoModel, 'customer', 'headcount', { unit: 'x' }))
		).toEqual([]);
		expect(lossesBetween(demoModel, withoutField(demoModel, 'customer', 'headcount'))).toEqual([
			{ what: 'field', type: 'customer', field: 'headcount' }
		]);
		const text = asType(fieldOf(demoModel, 'headcount'), { type: 'text' });
		expect(lossesBetween(demoModel, withField(demoModel, 'customer', 'headcount', text))).toEqual([
			{ what: 'values', type: 'customer', field: 'headcount' }
		]);
		expect(lossesBetween(demoModel, withoutType(demoModel, 'lead'))).toContainEqual({
			what: 'type',
			type: 'lead'
		});
		expect(lossesBetween(demoModel, withoutOption(demoModel, 'country', 'poland'))).toEqual([]);
	});
	it('leaves behind what only the old type has', () => {
		const money: Field = {
			id: 'x',
			label: 'X',
			group: 'G',
			type: 'money',
			currency: 'EUR',
			key: true
		};
		expect(asType(money, { type: 'date' })).toEqual({
			id: 'x',
			label: 'X',
			group: 'G',
			type: 'date'
		});
		expect(asType({ ...money, type: 'text' }, { type: 'number', unit: 'm²' })).toEqual({
			id: 'x',
			label: 'X',
			group: 'G',
			key: true,
			type: 'number',
			unit: 'm²'
		});
	});
});
