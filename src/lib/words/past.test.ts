import { describe, expect, it } from 'vitest';
import type { Field } from '$core';
import { fieldThen } from './past';

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
