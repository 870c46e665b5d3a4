/** Edits of rows as they come from outside. */
import { describe, expect, it } from 'vitest';
import { BadInput } from './check';
import { MOST_EDITED, checkEditors, checkRowEdits, checkRows, checkRowsFile } from './living';

const edit = { id: 'r_1', before: null, after: { country: 'poland', begins: '7' } };

describe('an edit of rows', () => {
	it('is taken with its reason, and with none', () => {
		expect(checkRows({ edits: [edit], why: ' The coast ', brings: true })).toEqual({
			edits: [edit],
			why: 'The coast',
			brings: true,
			look: null
		});
		expect(checkRows({ edits: [edit], brings: false })).toMatchObject({ why: '' });
	});
	it.each<[unknown, string]>([
		[null, 'brings is a required field'],
		[{ edits: [], brings: true }, 'edits must be a list of 1 to'],
		[{ edits: Array.from({ length: MOST_EDITED + 1 }, () => edit), brings: true }, 'edits must be'],
		[{ edits: [edit] }, 'brings'],
		[{ edits: [edit], brings: 'yes' }, 'brings'],
		[{ edits: [edit], brings: true, look: '1; drop' }, 'look'],
		[{ edits: [edit], brings: true, more: 1 }, 'more'],
		[{ edits: [null], brings: true }, 'edits[0].id'],
		[{ edits: [{ ...edit, id: '../x' }], brings: true }, 'edits[0].id'],
		[{ edits: [edit, edit], brings: true }, 'edits[1].id: the row “r_1” is there twice'],
		[{ edits: [{ id: 'a', before: null, after: null }], brings: true }, 'edits[0] says neither'],
		[{ edits: [{ ...edit, at: 3 }], brings: true }, 'edits[0] knows no “at”'],
		[{ edits: [{ ...edit, after: [] }], brings: true }, 'edits[0].after must be an object'],
		[{ edits: [{ ...edit, after: { a: {} } }], brings: true }, 'edits[0].after'],
		[{ edits: [{ ...edit, after: { a: 'x'.repeat(2001) } }], brings: true }, 'edits[0].after'],
		[
			{ edits: [{ ...edit, after: JSON.parse('{"__proto__": "x"}') }], brings: true },
			'edits[0].after'
		]
	])('%j is refused at its place', (v, says) => {
		expect(() => checkRows(v)).toThrow(BadInput);
		expect(() => checkRows(v)).toThrow(says);
	});
	it('of very many rows is walked in no time worth telling', () => {
		const many = Array.from({ length: MOST_EDITED }, (_, i) => ({ ...edit, id: `r${i}` }));
		expect(checkRowEdits(many)).toHaveLength(MOST_EDITED);
	});
});

it('who may edit is a list of people', () => {
	const change = { add: ['3'], remove: [] };
	expect(checkEditors(change)).toEqual(change);
	for (const v of [
		{},
		{ add: ['3'] },
		{ ...change, add: 'all' },
		{ ...change, add: [3] },
		{ ...change, remove: ['x'] }
	])
		expect(() => checkEditors(v)).toThrow(BadInput);
});

it('a file of rows says what it is', () => {
	const file = {
		format: 'rigid-rule/rows',
		version: 1,
		table: 't',
		rows: [{ id: 'a', cells: {} }]
	};
	expect(checkRowsFile(file)).toMatchObject({ table: 't' });
	for (const v of [
		null,
		{ ...file, version: 2 },
		{ ...file, table: 'a b' },
		{ ...file, rows: {} },
		{ ...file, rows: [{}] }
	])
		expect(() => checkRowsFile(v)).toThrow(BadInput);
});
