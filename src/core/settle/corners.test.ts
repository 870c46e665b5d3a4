/** Corners of settling that no other test stands in: each was altered once in the code without a test noticing. */
import { describe, expect, it } from 'vitest';
import { outcome, planOf, rule, run, schema } from '../../../tests/world';
import { zones } from '../../runtime/zones';
import { toJson } from '../fields/codec';
import { recordsLoader, submissionOf, valuesFromJson } from '../trials/records';
import { settle } from './settle';

const FAILS = 'count(for i in 1..A return count(for j in 1..A return i * j))';

describe('a guard above that reads another record', () => {
	const above = rule('b', '1', { id: 'above', if: 'Boss.A > 10' });
	const below = rule('b', '2', { id: 'below' });
	const boss = (a: string) => ({
		type: 'thing',
		id: '1',
		values: valuesFromJson(schema, 'thing', { a })
	});
	const child = {
		type: 'thing',
		id: '2',
		values: valuesFromJson(schema, 'thing', { boss: '1', b: '1' })
	};
	it('lets the claim below take over when the other record changes', () => {
		const plan = planOf(above, below);
		const record = submissionOf(schema, {
			type: 'thing',
			was: { a: '20' },
			sent: [['a', '5']],
			record: '1'
		});
		const settled = settle(
			plan,
			{
				records: [record],
				entryPoint: 'full',
				instant: Date.parse('2026-11-23T09:00:00Z'),
				person: null
			},
			recordsLoader(schema, [boss('20'), child]),
			{ explain: true, zones }
		);
		const at = schema.type('thing').at.get('b')!;
		const reached = settled.records.find((r) => r.id === '2');
		expect(toJson(reached!.values[at])).toBe('2');
	});
});

describe('a value that is set aside', () => {
	const closed = rule(
		'a',
		{ kind: 'state', state: 'read-only', options: [], always: false },
		{ kind: 'validate' }
	);
	it('has not changed, so nothing follows from it', () => {
		const plan = planOf(closed, rule('b', 'A * 2'));
		const r = run(plan, { a: '5' }, { was: { a: '1', b: '9' } });
		expect(r.json).toMatchObject({ a: '1', b: '9' });
		expect(outcome(r, 'b')).toEqual(['not triggered']);
	});
});

describe('a Locked claim that fails', () => {
	const plan = planOf(rule('b', FAILS, { output: { hold: 'locked', none: 'clear' } }));
	it('keeps what stood there, whatever was sent, and says so', () => {
		const r = run(plan, { a: '100000', b: '7' }, { was: { a: '2', b: '4' } });
		expect(r.json.b).toBe('4');
		expect(r.failures.map((f) => f.field)).toEqual(['b']);
		expect(outcome(r, 'b')).toEqual(['failed']);
	});
});
