/** Documents of every format there was: read as the present one has them, their stored bytes and hashes as they were. */
import { createHash } from 'node:crypto';
import { readFileSync } from 'node:fs';
import { describe, expect, it } from 'vitest';
import { zones } from '../../runtime/zones';
import { checkBundle, checkRelease, checkTrial } from '../../door';
import { compilePlan } from '../plan/plan';
import { runTrial } from '../trials/trials';
import { canonicalJson } from './canonical';
import { FORMAT, FormatError, upgraded } from './format';
import { Schema } from './model';

const file = (name: string) => readFileSync(new URL(`./fixtures/${name}`, import.meta.url), 'utf8');

describe('a release of format 1', () => {
	const bytes = file('release-format-1.json');
	it('has the bytes and the hash that it was stored with', () => {
		const doc = JSON.parse(bytes) as unknown;
		expect(createHash('sha256').update(bytes).digest('hex')).toBe(
			'2f65e4a5f7847693add7cb12e6077c936fe9c67aa70f4d0dfdedee18dc38263c'
		);
		expect(canonicalJson(doc)).toBe(bytes);
	});
	it('comes in by the door, compiles whole, and holds its trials', () => {
		const { model, ...set } = checkRelease(JSON.parse(bytes));
		const plan = compilePlan(new Schema(model), set);
		expect(plan.problems).toEqual([]);
		// a rule of every kind that there was
		expect(new Set(set.rules.map((r) => r.body.kind)).size).toBe(12);
		const trials = JSON.parse(file('trials-format-1.json')) as unknown[];
		for (const t of trials.map(checkTrial)) expect(runTrial(plan, t, zones).held).toBe(true);
	});
});

describe('a bundle of format 1', () => {
	const bytes = file('bundle-format-1.json');
	it('has the bytes that it was taken out with', () => {
		expect(createHash('sha256').update(bytes).digest('hex')).toBe(
			'c4e9079f445f14de91aa734383eda381d2159fdc5c4b436ed628065719cf9895'
		);
	});
	it('comes in by the door, with the trials and records in it', () => {
		const { model, set, trials, records } = checkBundle(JSON.parse(bytes));
		const plan = compilePlan(new Schema(model), set);
		expect(plan.problems).toEqual([]);
		expect(trials.length).toBeGreaterThan(0);
		for (const t of trials) expect(runTrial(plan, t, zones).held).toBe(true);
		expect(records).toMatchObject([{ type: 'engineer', key: { field: 'name' } }]);
	});
});

describe('the format of a document', () => {
	it('of today leaves it the very same', () => {
		const doc = { any: 'thing' };
		expect(upgraded('rule', doc, FORMAT)).toBe(doc);
	});
	it.each([
		[FORMAT + 1, 'written by a later version'],
		[0, 'says no format'],
		[-1, 'says no format'],
		[1.5, 'says no format'],
		[undefined as unknown as number, 'says no format']
	])('%s is refused by name', (format, says) => {
		expect(() => upgraded('table', {}, format)).toThrow(FormatError);
		expect(() => upgraded('table', {}, format)).toThrow(says);
	});
});
