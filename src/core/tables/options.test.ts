/** Cells in which options are picked, and the tests they are. */
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { demoModel } from '../../../demo/model';
import { Schema } from '../document/model';
import { bare } from '../document/tree';
import { BOOLEAN } from '../feel/types';
import { readCell } from './decision';
import { pickedIn, testsOf } from './options';

const schema = new Schema(demoModel);
const scope = { schema, type: 'deal' };
const STAGE = { t: 'choice', list: 'stage' } as const;
const stages = demoModel.lists.find((l) => l.id === 'stage')!.options.map((o) => o.id);
const picked = (text: string) => {
	const read = readCell({ text }, STAGE, scope);
	return read.compiled && pickedIn(bare(read.compiled.tests), { list: 'stage' });
};

describe('what a cell picks', () => {
	it.each([
		['', { values: [], blank: false, not: false }],
		['"Won"', { values: ['won'], blank: false, not: false }],
		['"Lost", "Won"', { values: ['lost', 'won'], blank: false, not: false }],
		['null', { values: [], blank: true, not: false }],
		['"Won", null', { values: ['won'], blank: true, not: false }],
		['not("Won", "Lost")', { values: ['won', 'lost'], blank: false, not: true }],
		['["Won", "Lost"]', { values: ['won', 'lost'], blank: false, not: false }]
	])('is read from %s', (text, expected) => expect(picked(text)).toEqual(expected));
	it.each(['Stage', '? = "Won"', 'position(?) > 2', 'moved(Stage, "Won", "Lost")'])(
		'is nothing where it says something else: %s',
		(text) => expect(picked(text)).toBeNull()
	);
	it('is read back as it was picked, whatever it is', () => {
		fc.assert(
			fc.property(fc.subarray(stages), fc.boolean(), fc.boolean(), (values, blank, not) => {
				const p = { values, blank, not: not && (values.length > 0 || blank) };
				const tests = testsOf(p, { list: 'stage' });
				expect(pickedIn(tests, { list: 'stage' })).toEqual(p);
				// and as the text that the language prints
				expect(picked(readCell({ tests }, STAGE, scope).text)).toEqual(p);
			})
		);
	});
	it('is yes and no as well', () => {
		const read = readCell({ text: 'true, null' }, BOOLEAN, scope);
		const p = pickedIn(bare(read.compiled!.tests), 'yesno');
		expect(p).toEqual({ values: ['true'], blank: true, not: false });
		expect(readCell({ tests: testsOf(p!, 'yesno') }, BOOLEAN, scope).text).toBe('true, null');
	});
});
