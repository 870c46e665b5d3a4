/** Every kind of body at the door: what is let in, and the place of what is not. */
import { describe, expect, it } from 'vitest';
import { demoDraft } from '../../demo/rules';
import type { Body } from '../core';
import { BadInput, checkRule } from '.';

const base = demoDraft.rules[0];
const f = { text: 'Headcount' };
/** One good body of each kind. */
const good: { [K in Body['kind']]: Body & { kind: K } } = {
	formula: { kind: 'formula', formulas: [f] },
	bands: {
		kind: 'bands',
		input: f,
		limits: [{ at: '10', belongs: 'above' }],
		results: [['micro'], null],
		blank: { none: true }
	},
	options: {
		kind: 'options',
		input: 'country',
		rows: { netherlands: ['a'] },
		blank: { give: ['b'] }
	},
	check: { kind: 'check', holds: f, message: ['No ', f], blocking: true, always: false },
	state: { kind: 'state', state: 'limited', options: ['a'], always: false },
	allowed: { kind: 'allowed', input: 'crop', rows: { herbs: ['fogging'] } },
	compose: { kind: 'compose', texts: [['a ', f]], blanks: { write: '–' } },
	split: { kind: 'split', input: f, at: 'first', separator: ' ', alone: 0 },
	cases: {
		kind: 'cases',
		rows: [{ id: 'c1', when: f, then: [f, 'leave'] }],
		otherwise: ['nothing', 'clear']
	},
	table: {
		kind: 'table',
		hit: 'U',
		inputs: [f],
		rows: [{ id: 'r1', when: [{ text: '< 5' }], then: [f, null] }],
		priority: [['a'], null]
	},
	lookup: { kind: 'lookup', table: 't', keys: [f], columns: ['c'], several: 'first' },
	match: {
		kind: 'match',
		type: 'customer',
		on: [{ field: 'trading_name', how: 'loose', value: f }],
		several: 'leave'
	},
	message: {
		kind: 'message',
		each: { type: 'contact', field: 'customer' },
		filter: null,
		to: f,
		subject: ['Hello'],
		text: ['There ', f],
		once: 'quarter'
	}
};
const said = (body: unknown) => {
	try {
		checkRule({ ...base, body });
		return 'let in';
	} catch (e) {
		expect(e).toBeInstanceOf(BadInput);
		return (e as Error).message;
	}
};

describe('bodies at the door', () => {
	it.each(Object.keys(good) as Body['kind'][])(
		'%s is let in, and nothing besides what it has',
		(k) => {
			expect(said(good[k])).toBe('let in');
			expect(said({ ...good[k], extra: 1 })).toContain('extra');
		}
	);
	it.each(Object.keys(good) as Body['kind'][])(
		'%s without one of its parts is refused by it',
		(k) => {
			for (const part of Object.keys(good[k])) {
				if (part === 'kind' || part === 'priority') continue;
				const { [part as keyof (typeof good)[typeof k]]: gone, ...rest } = good[k];
				void gone;
				expect(said(rest), part).toContain(`body.${part}`);
			}
		}
	);
	it.each([
		['formula', { formulas: [{ expr: { k: 'evil' } }] }, 'body.formulas[0]'],
		['formula', { formulas: [{ text: 'x'.repeat(20_001) }] }, 'body.formulas[0]'],
		['formula', { formulas: 'A' }, 'body.formulas'],
		['bands', { limits: [{ at: 10, belongs: 'above' }] }, 'body.limits[0].at'],
		['bands', { limits: [{ at: '10', belongs: 'beside' }] }, 'body.limits[0].belongs'],
		['bands', { results: [[{}]] }, 'body.results[0][0]'],
		['bands', { blank: { perhaps: true } }, 'body.blank'],
		['options', { rows: { a: 'b' } }, 'body.rows.a'],
		['options', { rows: null }, 'body.rows'],
		['check', { message: [5] }, 'body.message[0]'],
		['check', { blocking: 'yes' }, 'body.blocking'],
		['state', { state: 'shy' }, 'body.state'],
		['state', { options: [5] }, 'body.options[0]'],
		['allowed', { rows: { herbs: [null] } }, 'body.rows.herbs[0]'],
		['compose', { texts: ['a'] }, 'body.texts[0]'],
		['compose', { blanks: 'never' }, 'body.blanks'],
		['compose', { blanks: { write: 'x'.repeat(201) } }, 'body.blanks'],
		['split', { at: 'middle' }, 'body.at'],
		['split', { alone: -1 }, 'body.alone'],
		['split', { alone: 0.5 }, 'body.alone'],
		['table', { hit: 'X' }, 'body.hit'],
		['table', { rows: [{ id: 'r 1', when: [], then: [] }] }, 'body.rows[0].id'],
		['table', { rows: [{ id: 'r', when: ['<5'], then: [] }] }, 'body.rows[0].when[0]'],
		['table', { rows: [{ id: 'r', when: [], then: [5] }] }, 'body.rows[0].then[0]'],
		['table', { rows: [{ id: 'r', when: [], then: [], odd: 1 }] }, 'odd'],
		['lookup', { several: 'second' }, 'body.several'],
		['lookup', { columns: [1] }, 'body.columns[0]'],
		['match', { on: [{ field: 'a', how: 'nearly', value: f }] }, 'body.on[0].how'],
		['match', { on: [{ field: 'a', how: 'loose', value: 'A' }] }, 'body.on[0].value'],
		['match', { several: 'all' }, 'body.several'],
		['message', { each: { type: 'contact' } }, 'body.each.field'],
		['message', { once: 'decade' }, 'body.once'],
		['message', { to: 'a@b.example' }, 'body.to']
	] as const)('%s with %j is refused at %s', (kind, wrong, place) => {
		expect(said({ ...good[kind], ...wrong })).toContain(place);
	});
	it('a kind that there is not is refused with those there are', () => {
		expect(said({ kind: 'magic' })).toMatch(/body\.kind.*options.*message/s);
		for (const odd of [null, 5, 'formula', [], {}]) expect(said(odd)).not.toBe('let in');
		for (const odd of ['constructor', '__proto__', 'toString'])
			expect(said({ kind: odd })).toContain('body.kind');
	});
	it('caps every list', () => {
		const many = <T>(x: T, n: number) => Array.from({ length: n }, () => x);
		expect(said({ ...good.formula, formulas: many(f, 51) })).toContain('body.formulas');
		expect(said({ ...good.bands, limits: many(good.bands.limits[0], 501) })).toContain(
			'body.limits'
		);
		expect(said({ ...good.check, message: many('a', 101) })).toContain('body.message');
		expect(said({ ...good.lookup, keys: many(f, 21) })).toContain('body.keys');
		expect(said({ ...good.match, on: many(good.match.on[0], 21) })).toContain('body.on');
		expect(said({ ...good.state, options: many('a', 2001) })).toContain('body.options');
	});
});
