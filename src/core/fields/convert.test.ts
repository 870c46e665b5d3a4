/** What values become when their field is to hold another type. */
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { demoModel } from '../../../demo/model';
import { zones } from '../../runtime/zones';
import type { Field, FieldType } from '../document/model';
import { FIELD_TYPES, Schema } from '../document/model';
import { parseNum } from '../value/num';
import { LocalDate, Moment } from '../value/temporal';
import type { Value } from '../value/value';
import { fromText, misfit, toJson } from './codec';
import { converted } from './convert';

const schema = new Schema(demoModel);
const titles = {
	name: (_: string, id: string) => ({ '1': 'Lapwing Tomatoes', '2': null })[id] ?? null,
	called: (_: string, name: string) =>
		({ 'Lapwing Tomatoes': ['1'], 'Two of them': ['3', '4'] })[name] ?? []
};
const field = (type: FieldType, more: Partial<Field> = {}): Field => ({
	id: 'x',
	label: 'X',
	group: 'G',
	type,
	...(type === 'choice' || type === 'choices' ? { list: 'country' } : {}),
	...(type === 'link' ? { target: 'customer' } : {}),
	...more
});
const become = (from: Field, v: Value, to: Field) => {
	const r = converted(from, to, v, schema, schema, zones, titles);
	return r.ok ? toJson(r.value) : `✕ ${r.message}`;
};

describe('a value of another type', () => {
	const day = LocalDate.parse('2026-03-29')!;
	const moment = Moment.fromInstant(Date.parse('2026-03-28T23:30:00Z'), demoModel.zone, zones)!;
	it.each<[FieldType, Value, FieldType, unknown]>([
		['text', '12.50', 'number', '12.5'],
		[
			'text',
			'1,250',
			'number',
			'✕ X: “1,250” is no number. Write decimals with a point and thousands without a sign.'
		],
		['text', 'Poland', 'choice', 'poland'],
		['text', 'PL', 'choice', 'poland'],
		['text', 'Poland; Germany', 'choices', ['poland', 'germany']],
		['text', '2026-11-23', 'date', '2026-11-23'],
		['text', 'yes', 'yesno', true],
		['text', 'maybe', 'yesno', '✕ X: “maybe” is neither yes nor no.'],
		['text', 'Lapwing Tomatoes', 'link', '1'],
		['text', 'Two of them', 'link', '✕ 2 records are called “Two of them”.'],
		['text', 'Nobody', 'link', '✕ No record is called “Nobody”.'],
		['link', '1', 'text', 'Lapwing Tomatoes'],
		['link', '2', 'text', '✕ The record that it links to has no name.'],
		['number', parseNum('1'), 'yesno', true],
		['number', parseNum('0'), 'yesno', false],
		['number', parseNum('2'), 'yesno', '✕ X: “2” is neither yes nor no.'],
		['number', parseNum('12.50'), 'text', '12.5'],
		['number', parseNum('12.345'), 'money', '12.34'],
		['yesno', true, 'number', '1'],
		['yesno', false, 'text', 'no'],
		['choice', 'poland', 'text', 'Poland'],
		['choice', 'poland', 'choices', ['poland']],
		['choices', ['poland'], 'choice', 'poland'],
		['choices', ['poland', 'germany'], 'choice', '✕ X takes one option; this has 2.'],
		['choices', ['poland', 'germany'], 'text', 'Poland; Germany'],
		['date', day, 'text', '2026-03-29'],
		// midnight of the workspace’s clock, an hour before summer time begins
		['date', day, 'moment', '2026-03-28T23:00:00.000Z'],
		// the day on the workspace’s clock
		['moment', moment, 'date', '2026-03-29'],
		['moment', moment, 'text', '2026-03-29 00:30:00'],
		['date', day, 'number', '✕ X: “2026-03-29” is no number.']
	])('%s %s as %s', (from, v, to, expected) => {
		expect(become(field(from), v, field(to))).toEqual(expected);
	});
	it('keeps what options are called, or their code, in another list', () => {
		const other = field('choice', { list: 'region' });
		expect(become(field('choice'), 'poland', other)).toMatch(/^✕ X has no option “Poland”/);
		const codes = new Schema({
			...demoModel,
			lists: [
				...demoModel.lists,
				{ id: 'lands', label: 'Lands', options: [{ id: 'pl', label: 'Polska', code: 'PL' }] }
			]
		});
		const lands = field('choices', { list: 'lands' });
		const r = converted(field('choice'), lands, 'poland', codes, schema, zones, titles);
		expect(r).toEqual({ ok: true, value: ['pl'] });
	});
	it('is what the field can hold, or a reason why not; there and back it is the same', () => {
		const any = fc.constantFrom(...FIELD_TYPES);
		const text = fc.oneof(
			fc.string(),
			fc.constantFrom(
				'12.5',
				'Poland',
				'yes',
				'2026-11-23',
				'2026-11-23 09:30',
				'0',
				'Poland; Germany'
			)
		);
		fc.assert(
			fc.property(any, any, text, (from, to, typed) => {
				const [a, b] = [field(from), field(to)];
				const read = fromText(a, typed, schema);
				if (!read.ok) return;
				const v = read.value instanceof Moment ? read.value.in(demoModel.zone, zones) : read.value;
				const r = converted(a, b, v, schema, schema, zones, titles);
				if (!r.ok) {
					expect(r.message.length).toBeGreaterThan(5);
					return;
				}
				expect(misfit(b, r.value, r.value, schema)).toBeNull();
				// what came over as a text of its own is read back as what it was
				if (b.type === 'text' && r.value !== null && a.type !== 'link') {
					const back = converted(b, a, r.value, schema, schema, zones, titles);
					expect(back.ok && toJson(back.value)).toEqual(toJson(v));
				}
			}),
			{ numRuns: 400 }
		);
	});
});
