/** Bulk changes as they are sent: read as they were meant, and named where they are wrong. */
import { describe, expect, it } from 'vitest';
import { checkBulk } from './bulk';
import { EVERYTHING } from './lists';

const base = { type: 'deal', which: { list: {} }, spare: true, messages: false };
const formula = { text: 'Amount' };

describe('a bulk change', () => {
	it('sets, calculates or runs rules, of a list or of some', () => {
		const of = (does: unknown, which: unknown = { list: {} }) =>
			checkBulk({ ...base, which, does });
		expect(of({ k: 'set', field: 'stage', value: null })).toEqual({
			...base,
			which: { list: EVERYTHING },
			does: { k: 'set', field: 'stage', value: null }
		});
		expect(of({ k: 'calc', field: 'amount', formula }).does).toEqual({
			k: 'calc',
			field: 'amount',
			formula
		});
		expect(of({ k: 'history', field: 'amount' }).does).toEqual({ k: 'history', field: 'amount' });
		expect(of({ k: 'rules' }).does).toEqual({ k: 'rules', fillBlanks: false });
		expect(of({ k: 'rules' }, { ids: ['1', '2'] }).which).toEqual({ ids: ['1', '2'] });
		const first = of(
			{ k: 'rules' },
			{ list: { sort: { column: 'amount', desc: true } }, first: 50 }
		);
		expect(first.which).toEqual({
			list: { ...EVERYTHING, sort: { column: 'amount', desc: true } },
			first: 50
		});
	});
	it.each([
		[{ does: { k: 'set' } }, 'does must say'],
		[{ does: { k: 'set', field: 'a' } }, 'does must say'],
		[{ does: { k: 'set', field: 'a', value: '1', formula } }, 'does must say'],
		[{ does: { k: 'calc', field: 'a' } }, 'does must say'],
		[{ does: { k: 'calc', field: 'a', formula: { expr: { k: 'drop' } } } }, 'does.formula'],
		[{ does: { k: 'rules', field: 'a' } }, 'does must say'],
		[{ does: { k: 'history' } }, 'does must say'],
		[{ does: { k: 'history', field: 'a', value: '1' } }, 'does must say'],
		[{ does: { k: 'delete' } }, 'does must say'],
		[{ does: { k: 'rules' }, which: {} }, 'which must have'],
		[{ does: { k: 'rules' }, which: { ids: ['1'], first: 1 } }, 'which must have'],
		[{ does: { k: 'rules' }, which: { list: {}, first: 0 } }, 'which.first must be'],
		[{ does: { k: 'rules' }, which: { list: {}, first: 100_001 } }, 'which.first must be'],
		[{ does: { k: 'rules' }, which: { list: {}, first: 1.5 } }, 'which.first must be'],
		[{ does: { k: 'rules' }, which: { list: {}, ids: ['1'] } }, 'which must have'],
		[{ does: { k: 'rules' }, which: { ids: ['one'] } }, 'which.ids[0] must be the number'],
		[{ does: { k: 'rules' }, which: { list: { sort: 1 } } }, 'sort'],
		[{ does: { k: 'rules' }, spare: 'yes' }, 'spare']
	])('%j is refused by name', (more, place) => {
		expect(() => checkBulk({ ...base, ...more })).toThrow(place);
	});
});
