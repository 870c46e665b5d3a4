import { describe, expect, it } from 'vitest';
import { dbTrouble } from './trouble';

const error = (code: string | undefined, message = 'x') =>
	Object.assign(new Error(message), { code });

describe('trouble of the database', () => {
	it.each([
		['57P01', /cannot be reached/],
		['08006', /cannot be reached/],
		['ECONNREFUSED', /cannot be reached/],
		['55P03', /working on the same records/],
		['57014', /longer than/],
		['53100', /disk .* is full/],
		['53300', /busy/]
	])('of code %s passes', (code, says) => {
		const t = dbTrouble(error(code))!;
		expect(t.message).toMatch(says);
		expect(t.again).toBeGreaterThan(0);
	});
	it('is known by its words where it has no code', () => {
		expect(dbTrouble(error(undefined, 'Connection terminated unexpectedly'))).not.toBeNull();
		expect(dbTrouble(error(undefined, 'timeout exceeded when trying to connect'))).not.toBeNull();
	});
	it('is a full disk where a connection could not write what the next would read', () => {
		expect(dbTrouble(error('XX000', 'could not write init file'))!.message).toMatch(/disk .* full/);
	});
	it('is found among the errors of several addresses', () => {
		const all = new AggregateError([error('ECONNREFUSED'), error('ECONNREFUSED')]);
		expect(dbTrouble(all)!.message).toMatch(/cannot be reached/);
	});
	it.each([error('23505'), error('22008'), error(undefined, 'no such thing'), 'text', null, 7])(
		'is nothing else: %s',
		(e) => expect(dbTrouble(e)).toBeNull()
	);
});
