/** Rules made from rules. */
import { describe, expect, it } from 'vitest';
import { rule, setOf } from '../../../tests/deals';
import { copiedTo, copiesTo, duplicated, freeName, namesakes } from './copies';
import { compilePlan } from '../plan/plan';
import { schema } from '../../../tests/deals';
import { applied, editBetween, reversed } from './edit';

const a = rule('share', 'Amount * 2', { name: 'Share' });
const b = rule('share', 'Amount * 3', { name: 'Another' });
const set = setOf([a, b], { order: { 'deal.share': [`${b.id}:o`, `${a.id}:o`], 'deal.note': [] } });

describe('a duplicate', () => {
	const next = duplicated(set, a.id, 'copy');
	it('stands right behind its rule, in the claim order as well, and says the same', () => {
		expect(next.rules.map((r) => r.id)).toEqual([a.id, 'copy', b.id]);
		expect(next.order).toEqual({
			'deal.share': [`${b.id}:o`, `${a.id}:o`, 'copy:o'],
			'deal.note': []
		});
		expect(next.rules[1]).toEqual({ ...a, id: 'copy', name: 'Share (copy)' });
		expect(next.rules[1].body).not.toBe(a.body);
	});
	it('has a name of its own, and so has the next', () => {
		expect(duplicated(next, a.id, 'again').rules[1].name).toBe('Share (copy) (2)');
		expect(freeName(set, 'deal', 'Share')).toBe('Share (2)');
		// of another type it is free
		expect(freeName(set, 'firm', 'Share')).toBe('Share');
	});
	it('is one step that can be taken back', () => {
		const edit = editBetween('duplicate', set, next);
		expect(applied(set, edit.pieces)).toEqual({ set: next, refused: [] });
		expect(applied(next, reversed(edit).pieces).set).toEqual(set);
	});
	it('of a rule that is gone is none', () => {
		expect(duplicated(set, 'gone', 'copy')).toBe(set);
	});
});

it('namesakes are rules of one type and one name, whatever stands around it', () => {
	const twin = { ...b, name: ' Share ' };
	expect(namesakes(setOf([a, twin]), a).map((r) => r.id)).toEqual([b.id]);
	expect(namesakes(set, a)).toEqual([]);
	expect(namesakes(setOf([a, { ...twin, type: 'firm' }]), a)).toEqual([]);
});

describe('a copy at another field', () => {
	const one = rule('share', 'Amount * 2', { name: 'Share of the amount' });
	const set = setOf([one]);
	it('says the same there, under a name of that field', () => {
		const next = copiedTo(set, schema, one.id, { type: 'deal', field: 'amount' }, 'copy');
		const copy = next.rules.at(-1)!;
		expect(copy.outputs.map((o) => o.field)).toEqual(['amount']);
		expect(copy.name).toContain(schema.field('deal', 'amount')!.label);
		expect(copy.body.kind).toBe(one.body.kind);
		expect(next.rules).toHaveLength(2);
	});
	it('of another record type leaves open what is not there', () => {
		const [type, field] = ['firm', 'heads'];
		expect(copiesTo(one, type)).toBe(true);
		const next = copiedTo(set, schema, one.id, { type, field }, 'copy');
		const { problems } = compilePlan(schema, next);
		expect(problems).toMatchObject([{ rule: 'copy', open: true }]);
		expect(next.rules.at(-1)!.type).toBe(type);
	});
	it('to a field that is not there changes nothing', () => {
		expect(copiedTo(set, schema, one.id, { type: 'deal', field: 'nowhere' }, 'x')).toBe(set);
		expect(copiedTo(set, schema, 'nobody', { type: 'deal', field: 'amount' }, 'x')).toBe(set);
	});
});
