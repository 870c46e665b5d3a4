/** What a form showed comes back with it, whatever else comes in its place. */
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { readForm } from './forms';
import { USUAL_GATE } from './gate';
import {
	StoredSince,
	gateShown,
	hookShown,
	keepShown,
	otherNow,
	personShown,
	readShown,
	refuseStale
} from './shown';

const person = {
	name: 'Wim Haverkamp',
	email: 'wim@quillmere.example',
	role: 'author',
	person: null
};
const all = [
	gateShown(USUAL_GATE),
	keepShown({ history: 400 }),
	personShown(person),
	hookShown({ name: 'Shop', address: null, types: ['deal', 'lead'], state: 'on' })
];

describe('what a form showed', () => {
	it('is what stands, as long as nobody stored something else', () => {
		for (const shown of all) {
			const back = readShown(JSON.stringify(shown));
			expect(back).toEqual(shown);
			expect(() => refuseStale(back, shown)).not.toThrow();
		}
	});

	it('differs in whatever was stored since, and only there', () => {
		const now = personShown({ ...person, role: 'reader', person: '7' });
		expect(otherNow(personShown(person), now)).toEqual(['role', 'person']);
		expect(() => refuseStale(personShown(person), now)).toThrow(StoredSince);
		expect(otherNow(keepShown({}), keepShown({ jobs: 30 }))).toEqual(['jobs']);
		const gate = {
			...USUAL_GATE,
			coverage: USUAL_GATE.coverage + 1,
			inherited: !USUAL_GATE.inherited
		};
		expect(otherNow(gateShown(USUAL_GATE), gateShown(gate))).toEqual([
			'coverageLeast',
			'inherited'
		]);
	});

	it('is asked of whoever says what they saw: a form that says nothing it can be is not held up', () => {
		expect(readShown(undefined)).toBeNull();
		expect(() => refuseStale(null, all[0])).not.toThrow();
		fc.assert(
			fc.property(fc.oneof(fc.string(), fc.json()), (text) => {
				const read = readShown(text);
				expect(read === null || Object.values(read).every((v) => typeof v === 'string')).toBe(true);
			})
		);
		// of what is missing, nobody knows that they saw it
		expect(otherNow(readShown('{"name":1}')!, personShown(person))).toEqual([
			'name',
			'email',
			'role',
			'person'
		]);
	});

	it('passes the door with the form', () => {
		const data = new FormData();
		for (const [k, v] of Object.entries(all[1])) data.set(k, v);
		data.set('shown', JSON.stringify(all[1]));
		expect(readForm('keep', data)).toMatchObject({
			ok: true,
			values: { history: '400', shown: JSON.stringify(all[1]) }
		});
		data.set('shown', 'x'.repeat(10_001));
		expect(readForm('keep', data)).toMatchObject({
			ok: false,
			faults: { shown: 'Open the page anew.' }
		});
	});
});
