/** What is told of a change that the pilot had a part in, against the same without it. */
import { describe, expect, it } from 'vitest';
import type { Settled } from '../../core';
import { apartOf } from './apart';

const message = (subject: string, to = 'desk@quillmere.example', text = 'Look.') => ({
	claim: 'm:0',
	to,
	subject,
	text,
	target: null,
	once: null
});
const settled = (
	sends: ReturnType<typeof message>[],
	more: object = {},
	id = '1'
): Settled['records'][number] =>
	({
		type: 'deal',
		id,
		created: false,
		reached: false,
		was: ['a'],
		values: ['a'],
		messages: [],
		sends,
		...more
	}) as unknown as Settled['records'][number];
const of = (...records: Settled['records']) => ({ records }) as unknown as Settled;
const told = (a: Settled, b: Settled) =>
	apartOf(a, b, () => ['name']).map((d) => [d.record, d.kind, d.field, d.message ?? d.gave]);

describe('messages of a pilot', () => {
	it('are told where either sends one that the other does not, each as often', () => {
		const [x, y] = [message('X'), message('Y')];
		expect(told(of(settled([x, y])), of(settled([y, x])))).toEqual([]);
		expect(told(of(settled([x, x])), of(settled([x])))).toEqual([
			['1', 'sent', '~messages', '“X” to desk@quillmere.example']
		]);
		expect(told(of(settled([x])), of(settled([message('X', 'b@quillmere.example')])))).toEqual([
			['1', 'sent', '~messages', '“X” to desk@quillmere.example'],
			['1', 'unsent', '~messages', '“X” to b@quillmere.example']
		]);
		expect(
			told(of(settled([message('X', 'a', 'T')])), of(settled([message('X', 'a')])))
		).toHaveLength(2);
		// at a record that only one of them runs on to
		expect(told(of(settled([])), of(settled([]), settled([y], { reached: true }, '2')))).toEqual([
			['2', 'unsent', '~messages', '“Y” to desk@quillmere.example']
		]);
	});
	it('a change that either refuses sends none, and values are told as ever', () => {
		const refused = { messages: [{ field: 'name', claim: 'c', text: 'No.', blocking: true }] };
		const [x] = [message('X')];
		expect(told(of(settled([x], refused)), of(settled([])))).toEqual([
			['1', 'refused', 'name', 'No.']
		]);
		expect(told(of(settled([x])), of(settled([], refused)))).toEqual([
			['1', 'let through', 'name', 'No.']
		]);
		expect(told(of(settled([x], { values: ['b'] })), of(settled([])))).toEqual([
			['1', 'value', 'name', 'b'],
			['1', 'sent', '~messages', '“X” to desk@quillmere.example']
		]);
	});
});
