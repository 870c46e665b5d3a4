import { describe, expect, it } from 'vitest';
import type { Body, Rule } from '../document/rules';
import { readTemplate } from '../feel/template';
import { formula, outcome, planOf, rule, run, schema } from '../../../tests/world';
import { reason } from '../explain/reason';

const validate = (field: string, body: Body, more: Parameters<typeof rule>[2] = {}): Rule =>
	rule(field, body, { kind: 'validate', ...more });
const check = (
	field: string,
	holds: string,
	message: string,
	more: Partial<Body & { kind: 'check' }> = {},
	rest = {}
) =>
	validate(
		field,
		{
			kind: 'check',
			holds: formula(holds),
			message: readTemplate(message, { schema, type: 'thing' }).template,
			blocking: true,
			always: false,
			...more
		},
		rest
	);
const state = (
	field: string,
	s: 'required' | 'read-only' | 'hidden' | 'limited',
	more: Parameters<typeof rule>[2] = {},
	options: string[] = []
) => validate(field, { kind: 'state', state: s, options, always: false }, more);

describe('checks', () => {
	it('say their message with its values, at their field, and only when something they read changes', () => {
		const plan = planOf(check('b', 'b <= a', 'B {b} is more than A {a}.'));
		expect(plan.problems).toEqual([]);
		expect(run(plan, { b: '5' }, { was: { a: '3' } }).messages).toMatchObject([
			{ field: 'b', text: 'B 5 is more than A 3.', blocking: true }
		]);
		expect(run(plan, { b: '2' }, { was: { a: '3' } }).messages).toEqual([]);
		// an old mistake elsewhere stops nobody from correcting a phone number
		expect(run(plan, { t: 'x' }, { was: { a: '3', b: '9' } }).messages).toEqual([]);
		const always = planOf(check('b', 'b <= a', 'No.', { always: true }));
		expect(run(always, { t: 'x' }, { was: { a: '3', b: '9' } }).messages).toHaveLength(1);
	});

	it('that come out null do not block, and say which blank was the cause', () => {
		const plan = planOf(check('b', 'b <= a', 'No.'));
		const r = run(plan, { b: '5' });
		expect(r.messages).toEqual([]);
		expect(outcome(r, 'b')).toEqual(['cannot tell']);
		expect(reason(plan, r.reports[0])).toBe('it cannot tell: A is blank');
	});

	it('see what rules wrote', () => {
		const plan = planOf(rule('b', 'a * 2'), check('b', 'b < 10', 'Too much: {b}.'));
		expect(run(plan, { a: '5' }).messages).toMatchObject([{ text: 'Too much: 10.' }]);
	});

	const FAILS = 'count(for i in 1..A return count(for j in 1..A return i * j)) < 0';
	it.each([
		['what it asks', check('b', FAILS, 'No.'), true],
		['its condition', check('b', 'b < 0', 'No.', {}, { if: FAILS, watch: null }), true],
		['required, its condition', state('b', 'required', { if: FAILS }), true],
		['an advice', check('b', FAILS, 'No.', { blocking: false }), false],
		['one whose author lets it through', check('b', FAILS, 'No.', {}, { refuses: false }), false],
		['a limit, its condition', state('b', 'read-only', { if: FAILS }), false]
	])('that fail are told, and refuse where they would: %s', (_, failing, refuses) => {
		const plan = planOf(failing);
		expect(plan.problems).toEqual([]);
		const r = run(plan, { a: '100000', b: '5' }, { was: { a: '1', b: '4' } });
		expect(outcome(r, 'b')).toEqual(['failed']);
		expect(r.failures).toMatchObject([{ field: 'b' }]);
		expect(reason(plan, r.reports[0])).toBe(`it failed: ${r.failures[0].message}`);
		expect(r.messages.map((m) => [m.field, m.blocking])).toEqual(refuses ? [['b', true]] : []);
		// a change that does not concern it is not stopped by it
		if (failing.body.kind === 'check')
			expect(run(plan, { t: 'x' }, { was: { a: '100000' } }).failures).toEqual([]);
	});

	it('need a message, and a message that can be read', () => {
		expect(planOf(check('b', 'b > 1', '')).problems).toMatchObject([{ place: 'message' }]);
		expect(planOf(check('b', 'b > 1', 'B is {q}')).problems).toMatchObject([
			{ place: 'message', span: { from: 6, to: 7 } }
		]);
	});
});

describe('required and hidden', () => {
	it('required of people, not of the import', () => {
		const plan = planOf(state('b', 'required', { if: 'flag', entryPoints: ['full', 'short'] }));
		const full = run(plan, { flag: true });
		expect(full.messages).toMatchObject([{ field: 'b', text: 'B is required.', blocking: true }]);
		expect([...full.required]).toEqual(['b']);
		expect(run(plan, { flag: true, b: '1' }).messages).toEqual([]);
		expect(run(plan, { flag: true }, { entry: 'import' }).messages).toEqual([]);
	});

	it('hidden suspends required', () => {
		const plan = planOf(state('b', 'required'), state('b', 'hidden', { if: 'flag' }));
		const r = run(plan, { flag: true });
		expect([[...r.hidden], [...r.required], r.messages]).toEqual([['b'], [], []]);
		expect(run(plan, { flag: false }).messages).toEqual([]);
		expect(run(plan, { flag: false }, { was: null }).messages).toHaveLength(1);
	});
});

describe('read-only and limited', () => {
	it('read-only: what is sent is set aside and reported', () => {
		const plan = planOf(state('b', 'read-only', { if: 'flag' }));
		const r = run(plan, { b: '5' }, { was: { flag: true, b: '1' } });
		expect(r.json.b).toBe('1');
		expect(r.setAside).toMatchObject([{ field: 'b', why: 'read-only' }]);
		expect([...r.readOnly.keys()]).toEqual(['b']);
		expect(run(plan, { b: '5' }, { was: { flag: false, b: '1' } }).json.b).toBe('5');
	});

	const allowed = () =>
		validate('size', {
			kind: 'allowed',
			input: 'stage',
			rows: { enquiry: ['micro', 'small'], won: ['large'], lost: ['medium', 'large'] }
		});

	it('limited is cleared by whoever wants, unless it is required', () => {
		const was = { stage: 'enquiry', size: 'small' };
		const r = run(planOf(allowed()), { size: null }, { was });
		expect([r.json.size, r.setAside]).toEqual([null, []]);
		const must = planOf(allowed(), state('size', 'required'));
		expect(run(must, { size: null }, { was }).messages).toMatchObject([
			{ text: 'Size class is required.' }
		]);
	});

	it('limited by another choice: what is not allowed is set aside', () => {
		const r = run(
			planOf(allowed()),
			{ size: 'large' },
			{ was: { stage: 'enquiry', size: 'small' } }
		);
		expect(r.json.size).toBe('small');
		expect(r.setAside).toMatchObject([{ field: 'size', sent: 'large', why: 'not allowed' }]);
		expect(r.limited.get('size')).toEqual(['micro', 'small']);
	});

	it('a value left behind is cleared, or replaced by the one option left; one option fills itself', () => {
		const plan = planOf(allowed());
		expect(
			run(plan, { stage: 'lost' }, { was: { stage: 'enquiry', size: 'small' } }).json.size
		).toBeNull();
		const one = run(plan, { stage: 'won' }, { was: { stage: 'enquiry', size: 'small' } });
		expect(one.json.size).toBe('large');
		expect(one.changes.find((c) => c.field === 'size')!.claim).toBe(
			plan.problems.length ? '' : [...plan.validators.keys()][0]
		);
		expect(run(plan, { stage: 'won' }, { was: { stage: 'enquiry' } }).json.size).toBe('large');
		expect(
			run(plan, { stage: 'offer' }, { was: { stage: 'enquiry', size: 'small' } }).json.size
		).toBe('small');
		const many = planOf(
			validate('sizes', { kind: 'allowed', input: 'stage', rows: { won: ['large', 'small'] } })
		);
		expect(run(many, { stage: 'won' }, { was: { sizes: ['micro', 'small'] } }).json.sizes).toEqual([
			'small'
		]);
	});

	it('a rule cannot give what is not allowed either: it fails and says so', () => {
		const plan = planOf(
			rule('size', {
				kind: 'options',
				input: 'flag',
				rows: { true: ['large'] },
				blank: { none: true }
			}),
			allowed()
		);
		const r = run(plan, { flag: true }, { was: { stage: 'enquiry', size: 'small' } });
		expect(r.json.size).toBe('small');
		expect(r.failures).toMatchObject([{ field: 'size' }]);
	});

	it('is an edge: what a field may be cannot depend on the field itself, nor in a circle', () => {
		expect(planOf(state('b', 'read-only', { if: 'b > 1' })).problems).toHaveLength(1);
		const circle = planOf(state('b', 'read-only', { if: 'c > 1' }), rule('c', 'b'));
		expect(circle.problems.map((p) => p.place)).toEqual(['order', 'order']);
	});
});

describe('templates', () => {
	it('keep braces that are doubled, and find the place of a fault', () => {
		expect(readTemplate('{{x}} {a}', { schema, type: 'thing' })).toMatchObject({
			template: ['{x} ', { expr: { field: 'a' } }],
			faults: []
		});
		expect(readTemplate('x {a', { schema, type: 'thing' }).faults[0].message).toContain(
			'not closed'
		);
	});
});
