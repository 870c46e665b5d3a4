import { describe, expect, it } from 'vitest';
import { demoDraft } from '../../../demo/rules';
import { formula } from '../../../tests/world';
import { walk } from './walk';

const kinds = (doc: unknown, stop?: string) => {
	const out: string[] = [];
	walk(doc, (e) => {
		out.push(e.k);
		return e.k !== stop;
	});
	return out;
};

describe('the walk over trees', () => {
	it('meets every node, outer before inner, wherever trees lie in a document', () => {
		const doc = { a: [formula('A + 1')], b: { c: formula('if Flag then 2 else null') } };
		expect(kinds(doc)).toEqual(['bin', 'field', 'num', 'if', 'field', 'num', 'null']);
	});
	it('goes no deeper where it is told so', () => {
		expect(kinds(formula('not(A + 1 > B)'), 'cmp')).toContain('field');
		expect(kinds(formula('(A + 1) * B'), 'bin')).toEqual(['bin']);
	});
	it('passes by what is no tree', () => {
		expect(kinds([null, 'text', 7, { kind: 'options' }, { k: 7 }])).toEqual([]);
		expect(kinds(undefined)).toEqual([]);
	});
	it('meets as many fields in the demo as its text has', () => {
		const text = JSON.stringify(demoDraft);
		const fields = kinds(demoDraft).filter((k) => k === 'field').length;
		expect(fields).toBe(text.split('"k":"field"').length - 1);
		expect(fields).toBeGreaterThan(50);
	});
});
