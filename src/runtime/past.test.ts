import { describe, expect, it } from 'vitest';
import { Schema, type Field } from '$core';
import { demoModel } from '../../demo/model';
import { fieldThen, schemaThen } from './past';

const field = (type: Field['type']): Field => ({ id: 'x', label: type, group: 'G', type });
const of = { type: 'customer', field: 'x' };
const past = [
	{ type: 'customer', field: field('text'), until: '2026-11-01T10:00:00.000Z' },
	{ type: 'customer', field: field('number'), until: '2026-11-10T10:00:00.000Z' },
	{ type: 'lead', field: field('yesno'), until: '2026-11-20T10:00:00.000Z' }
];
describe('a field of that time', () => {
	it.each([
		['2026-10-01T00:00:00.000Z', 'text'],
		// what is lost by a change of type is told at its very moment
		['2026-11-01T10:00:00.000Z', 'text'],
		['2026-11-01T10:00:00.001Z', 'number'],
		['2026-11-15T00:00:00.000Z', 'date']
	])('at %s is a %s', (at, type) => {
		expect(fieldThen(field('date'), past, of, at)!.type).toBe(type);
	});
	it('is what it was last where it is gone, and nothing where it never was', () => {
		expect(fieldThen(undefined, past, of, '2026-11-15T00:00:00.000Z')!.type).toBe('number');
		expect(fieldThen(undefined, past, { type: 'deal', field: 'x' }, '2026-11-15')).toBeUndefined();
	});
});

describe('the model of that time', () => {
	const model = {
		...demoModel,
		types: demoModel.types.map((t) =>
			t.id === 'customer' ? { ...t, fields: [...t.fields, field('date')] } : t
		)
	};
	const schema = new Schema(model);
	it('has the fields as they were, also such as are gone by now', () => {
		const gone = { ...past[0], field: { ...field('text'), id: 'gone', label: 'Gone' } };
		const then = schemaThen(schema, [...past, gone], '2026-10-01T00:00:00.000Z');
		expect(then.field('customer', 'x')).toMatchObject({ type: 'text' });
		expect(then.field('customer', 'gone')).toMatchObject({ label: 'Gone' });
		expect(then.field('customer', 'headcount')).toBe(schema.field('customer', 'headcount'));
		expect(then.types.get('customer')!.type.fields).toHaveLength(
			schema.type('customer').type.fields.length + 1
		);
		const later = schemaThen(schema, [...past, gone], '2026-11-05T00:00:00.000Z');
		expect(later.field('customer', 'x')).toMatchObject({ type: 'number' });
		expect(later.field('customer', 'gone')).toBeUndefined();
	});
	it('is the very model where nothing became another since', () => {
		expect(schemaThen(schema, past, '2026-12-01T00:00:00.000Z')).toBe(schema);
		expect(schemaThen(schema, [], '2026-10-01T00:00:00.000Z')).toBe(schema);
	});
});
