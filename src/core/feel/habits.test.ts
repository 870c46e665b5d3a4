/** Habits of spreadsheets and other languages: each is mended to what is right here, or left alone. */
import { describe, expect, it } from 'vitest';
import { schema } from '../../../tests/world';
import { mended } from './habits';
import { readFormula } from './read-formula';
import type { Ty } from './types';

const about = { schema, type: 'thing' };
const mend = (text: string, expected?: Ty) =>
	mended(text, about, (t) => readFormula({ text: t }, { ...about, expected }).faults)?.text ?? null;

describe('what people write out of habit', () => {
	it.each([
		// spreadsheets
		['IF(A > 1, 2, 3)', 'if A > 1 then 2 else 3'],
		['IF(A > 1; 2; 3)', 'if A > 1 then 2 else 3'],
		['=IF(Flag, 1, 2)', 'if Flag then 1 else 2'],
		['IF(A > 1, IF(B > 1, 2, 3), 4)', 'if A > 1 then if B > 1 then 2 else 3 else 4'],
		['IF(A > 1, 2)', 'if A > 1 then 2 else null'],
		['IF(Size class == Large, A * 0,5, A)', 'if Size class = "Large" then A * 0.5 else A'],
		['IF(A > 1,2,3)', 'if A > 1 then 2 else 3'],
		['=A + 1', 'A + 1'],
		['A <> 1', 'A != 1'],
		['AND(A > 1, B > 2)', '(A > 1 and B > 2)'],
		['OR(Flag, A > 2)', '(Flag or A > 2)'],
		['NOT(Flag)', 'not(Flag)'],
		['ISBLANK(Text)', 'is blank(Text)'],
		['LEN(Text) > 3', 'string length(Text) > 3'],
		['Text & "x"', 'Text + "x"'],
		['SUM([A, B])', 'sum([A, B])'],
		['TODAY()', 'today'],
		// programs
		['A == 1', 'A = 1'],
		['A === 1', 'A = 1'],
		['Flag && A > 1', 'Flag and A > 1'],
		['Flag || A > 1', 'Flag or A > 1'],
		['!(Flag)', 'not (Flag)'],
		['Flag ? 1 : 2', 'if Flag then 1 else 2'],
		['A > 1 ? "x" : "y"', 'if A > 1 then "x" else "y"'],
		// numbers and texts as they are written elsewhere
		['A * 42,5', 'A * 42.5'],
		['A > 0,5 and B < 1,25', 'A > 0.5 and B < 1.25'],
		['Text = “x”', 'Text = "x"'],
		["Text = 'x'", 'Text = "x"'],
		// options
		['Stage is Lost', 'Stage = "Lost"'],
		['Stage is not lost', 'Stage != "Lost"'],
		['Stage = Won or Stage = Lost', 'Stage = "Won" or Stage = "Lost"'],
		['Stage = lost and A > 1', 'Stage = "Lost" and A > 1'],
		['if Size class is Large then 1 else 2', 'if Size class = "Large" then 1 else 2'],
		// what was before
		['=was.Stage', 'was.Stage'],
		['previous(Stage)', 'was.Stage'],
		['old(A) + 1', 'was.A + 1']
	])('%s → %s', (wrong, right) => expect(mend(wrong)).toBe(right));

	it.each([
		// what is right stays, what no habit explains is left to its message
		'A + 1',
		'',
		'Stage = "Holland"',
		'Nowhere + 1',
		'Stage is Poland',
		'IF(A > 1',
		'A ? 1',
		'(((',
		'"a && b'
	])('%s is left alone', (text) => expect(mend(text)).toBe(null));

	it('texts in quotes are never rewritten', () => {
		expect(mend('Flag && Text = "a && b, 1,5"')).toBe('Flag and Text = "a && b, 1,5"');
	});

	it('long and deep texts cost no more than they are long', () => {
		expect(mend('IF('.repeat(600))).toBe(null);
		expect(mend('x'.repeat(50_000))).toBe(null);
	});

	it('nothing unlike is suggested', () => {
		const said = (text: string) => readFormula({ text }, about).faults[0].message;
		expect(said('Size class = "Hugely"')).not.toContain('Did you mean');
		expect(said('Stage = "Wom"')).toContain('“Won”');
	});
});
