/** Lists and bulk changes in words: what is offered, what is asked for, when it is finished. */
import { describe, expect, it } from 'vitest';
import type { Expr } from '$core';
import { readColumn, EVERYTHING, type ListAsked } from '$door/lists';
import { Schema } from '$core';
import { model, schema } from '../../../tests/world';
import { columnField, columnLabel, plainCell } from '../../runtime/lists';
import { sayDoes, sayWhich } from '../bulk/words';
import { asksOfChanges } from '../../runtime/lists';
import { askedSoFar, columnChoices, columnWidth, isFinished, sayList } from './list';

const own = (field: string, image: 'settled' | 'was' = 'settled'): Expr => ({
	k: 'field',
	image,
	type: 'thing',
	field
});
const stage = (option: string): Expr => ({ k: 'option', list: 'stage', option });
const is = (a: Expr, b: Expr): Expr => ({ k: 'bin', op: '=', a, b });
const asked = (more: Partial<ListAsked>): ListAsked => ({ ...EVERYTHING, ...more });
const lostBefore: Expr = {
	k: 'and',
	items: [is(own('stage'), stage('lost')), is(own('stage', 'was'), stage('won'))]
};
const rule = (id: string) => `rule ${id}`;

describe('the width of a column', () => {
	const number = { id: 'n', label: 'N', group: 'G', type: 'number' } as const;
	const width = (label: string) => columnWidth(number, { k: 'field', path: ['n'] }, label);
	it('is what its values need, and breaks no word of its label but one that is very long', () => {
		expect(width('Age')).toBe(width('Age of all'));
		expect(width('Headcount')).toBeGreaterThan(width('Age'));
		expect(width('Head count')).toBe(width('Age'));
		expect(width('x'.repeat(80))).toBeLessThan(300);
	});
});

describe('the columns that are offered', () => {
	it('are the record’s, those behind links, how many point to it, and what was; each once', () => {
		const ids = columnChoices(schema, 'thing', ['t']).map((c) => c.id);
		expect(new Set(ids).size).toBe(ids.length);
		expect(ids).toEqual(
			expect.arrayContaining([
				...['a', 'boss.t', 'boss.boss.t', '#thing.boss', '<stage', '@stage'],
				...['!made', '!changed']
			])
		);
		expect(ids).not.toContain('t');
		expect(ids.map(readColumn)).not.toContain(null);
	});
	it('leave out what is retired', () => {
		const [thing] = model.types;
		const fields = thing.fields.map((f) => (f.id === 'stage' ? { ...f, retired: true } : f));
		const without = new Schema({ ...model, types: [{ ...thing, fields }] });
		const ids = columnChoices(without, 'thing', []).map((c) => c.id);
		expect(ids.filter((id) => id.includes('stage'))).toEqual([
			'was_stage',
			'boss.was_stage',
			'boss.boss.was_stage',
			'<was_stage',
			'@was_stage'
		]);
	});
	it('are called by the way to them', () => {
		const label = (c: string) => columnLabel(schema, 'thing', readColumn(c)!);
		expect(
			[
				'stage',
				'boss.stage',
				'<stage',
				'@stage',
				'!made',
				'!changed',
				'#thing.boss',
				'boss.gone'
			].map(label)
		).toEqual([
			'Stage',
			'Boss › Stage',
			'Stage before',
			'Stage changed',
			'Made',
			'Last changed',
			'Number of Team',
			'boss.gone'.replace('.', ' › ')
		]);
		expect(columnField(schema, 'thing', readColumn('boss.gone')!)).toBeNull();
	});
	it('are written for programs: numbers and days as they are stored', () => {
		const cell = (c: string, v: string) => plainCell(schema, 'thing', readColumn(c)!, v, {});
		expect([cell('money', '250000'), cell('day', '2026-11-27'), cell('stage', 'won')]).toEqual([
			'250000',
			'2026-11-27',
			'Won'
		]);
	});
});

describe('a list', () => {
	it('is finished when all of its condition is said and can be read', () => {
		const finished = (where: ListAsked['where']) => isFinished(schema, 'thing', where);
		expect(finished(null)).toBe(true);
		expect(finished({ expr: lostBefore })).toBe(true);
		expect(finished({ expr: is(own('stage'), { k: 'hole' }) })).toBe(false);
		expect(finished({ expr: own('stage') })).toBe(false);
		expect(finished({ text: 'A > ' })).toBe(false);
	});
	it('with a first row of which nothing is said asks for all', () => {
		const open = asked({ where: { expr: is({ k: 'hole' }, { k: 'hole' }) }, find: 'x' });
		expect(askedSoFar(open)).toEqual(asked({ find: 'x' }));
		const half = asked({ where: { expr: is(own('stage'), { k: 'hole' }) } });
		expect(askedSoFar(half)).toBe(half);
	});
	it('is said in words, changes with their days', () => {
		const say = (a: ListAsked) => sayList(a, schema, 'thing', {}, rule);
		expect(say(EVERYTHING)).toBeNull();
		expect(say(asked({ where: { expr: lostBefore }, period: { days: 30 } }))).toBe(
			'Stage is Lost and Stage was Won · changes in the last 30 days'
		);
		expect(
			say(
				asked({
					where: { expr: is(own('stage'), stage('lost')) },
					untold: true,
					period: { days: 30 }
				})
			)
		).toBe('it cannot be told whether Stage is Lost');
		const set = { field: 'size', by: 'rule' as const };
		expect(
			say(
				asked({
					setBy: [
						{ ...set, rule: null },
						{ ...set, rule: 'x' }
					],
					pending: true,
					pilot: true
				})
			)
		).toBe('Size class set by a rule · Size class set by “rule x” · pending · in the pilot');
		expect(
			say(asked({ made: { days: 7 }, changed: { from: '2026-11-02', to: '2026-11-24' } }))
		).toBe('made in the last 7 days · last changed from 2 Nov 2026 to 24 Nov 2026');
	});
	it('knows when it asks of changes', () => {
		expect(asksOfChanges(asked({ where: { expr: lostBefore } }))).toBe(true);
		expect(asksOfChanges(asked({ columns: ['t', '<stage'] }))).toBe(true);
		expect(
			asksOfChanges(asked({ where: { expr: is(own('stage'), stage('lost')) }, columns: ['t'] }))
		).toBe(false);
	});
});

describe('a bulk change in words', () => {
	const base = { type: 'thing', which: { list: EVERYTHING }, spare: true, messages: false };
	it('says what is done, and to which', () => {
		const does = (d: Parameters<typeof sayDoes>[0]['does']) =>
			sayDoes({ ...base, does: d }, schema, {});
		expect(does({ k: 'set', field: 'stage', value: 'won' })).toBe('Stage becomes Won');
		expect(does({ k: 'set', field: 'stage', value: null })).toBe('Stage is cleared');
		expect(does({ k: 'calc', field: 't', formula: { expr: own('u') } })).toBe(
			'Text becomes Other text'
		);
		expect(does({ k: 'rules', fillBlanks: true })).toBe('Standing rules run, and fill blanks');
		const which = (of: Parameters<typeof sayWhich>[0]['which']) =>
			sayWhich({ ...base, which: of, does: { k: 'rules', fillBlanks: false } }, schema, {}, rule);
		expect(which({ list: EVERYTHING })).toBe('all things');
		expect(which({ ids: ['1', '2'] })).toBe('2 ticked things');
		expect(
			which({ list: asked({ find: 'x', where: { expr: is(own('stage'), stage('lost')) } }) })
		).toBe('things with “x” where Stage is Lost');
		const first = (sort: ListAsked['sort']) => which({ list: asked({ sort }), first: 50 });
		expect(first(null)).toBe('the first 50 of things, the newest first');
		expect(first({ column: 'id', desc: false })).toBe('the first 50 of things, the oldest first');
		expect(first({ column: 'a', desc: true })).toBe('the first 50 of things, by A, backwards');
	});
});
