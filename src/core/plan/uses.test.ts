import { expect, it } from 'vitest';
import { bare } from '../document/tree';
import type { Definition } from '../document/model';
import { formula, rule, schema } from '../../../tests/world';
import { readFormula } from '../feel/read-formula';
import { usesOf } from './uses';

const definition = (id: string, name: string, text: string): Definition => ({
	id,
	name,
	why: '',
	type: null,
	params: [],
	result: null,
	body: { text }
});

it('tells the rules and definitions that use a definition or a table, wherever in them it stands', () => {
	const rate = definition('d1', 'Rate', '21');
	const named = schema.with({ definitions: [rate] });
	const use = (text: string) => ({
		expr: bare(readFormula({ text }, { schema: named, type: 'thing' }).compiled!.expr)
	});
	const inGuard = { ...rule('a', '1'), guard: use('B > Rate') };
	const inText = rule('t', { kind: 'compose', texts: [['at ', use('Rate')]], blanks: 'leave out' });
	const without = rule('b', 'A');
	const other = { ...definition('d2', 'Other', ''), body: use('Rate * 2') };
	const look = rule('c', {
		kind: 'lookup',
		table: 't1',
		keys: [formula('A')],
		columns: ['x'],
		several: 'first'
	});
	const set = { rules: [inGuard, inText, without, look], order: {}, definitions: [rate, other] };
	expect(usesOf(set, { definition: 'd1' }).map((u) => u.id)).toEqual([inGuard.id, inText.id, 'd2']);
	expect(usesOf(set, { table: 't1' }).map((u) => u.name)).toEqual([look.name]);
	expect(usesOf(set, { table: 't2' })).toEqual([]);
});
