/** Every reason names its cause: the condition that held, the branch taken, what was counted, who asked. Invented data. */
import { describe, expect, it } from 'vitest';
import { formula, planOf, rule, run, schema } from '../../../tests/world';
import { zones } from '../../runtime/zones';
import type { Body } from '../document/rules';
import { recordsLoader, submissionOf, valuesFromJson } from '../trials/records';
import { settle } from '../settle/settle';
import { reason } from './reason';

const why = (
	plan: ReturnType<typeof planOf>,
	sent: Parameters<typeof run>[1],
	o?: Parameters<typeof run>[2],
	k = 0
) => reason(plan, run(plan, sent, o).reports[k]);

describe('a reason', () => {
	it('names the condition that held, with its values', () => {
		const plan = planOf(rule('b', '3', { if: 'Flag and A > 4' }));
		expect(why(plan, { flag: true, a: '5' })).toBe('Flag is yes, A is 5');
	});
	it('says of a long value its beginning', () => {
		const plan = planOf(rule('b', '3', { if: 'contains(Text, "x")' }));
		const said = why(plan, { t: `x${'🌷'.repeat(500)}` });
		expect(said).toBe(`Text is x${'🌷'.repeat(78)}…`);
	});
	it('adds the condition to what it was computed from, and says nothing twice', () => {
		const plan = planOf(rule('b', 'C * 2', { if: 'Flag' }));
		expect(why(plan, { flag: true, c: '5' })).toBe('it is computed from C 5, as Flag is yes');
		expect(why(planOf(rule('b', 'A * 2', { if: 'A > 4' })), { a: '5' })).toBe(
			'it is computed from A 5, as “A is more than 4” is so'
		);
	});
	it('says before where it read what was, and from what to what a field moved', () => {
		const was = { was: { stage: 'offer', a: '1' } };
		const stays = planOf(rule('b', '1', { if: 'was.A = 1 and changed(Stage)' }));
		expect(why(stays, { stage: 'won' }, was)).toBe('A before is 1, Stage went from Offer to Won');
		const moved = planOf(rule('b', '1', { if: 'moved(Stage, anything, "Won")' }));
		expect(why(moved, { stage: 'won' }, was)).toBe('Stage went from Offer to Won');
		expect(why(moved, { stage: 'lost' }, was)).toBe(
			'“Stage changed to Won” is not so: Stage went from Offer to Lost'
		);
	});
	it('says which branch was taken: the one that was so, or what failed for the else', () => {
		const plan = planOf(rule('t', 'if A > 9 then "many" else if A > 4 then "some" else "few"'));
		const of = (a: string | null) => why(plan, { a, c: '1' }, { was: { a: '50' } });
		expect(of('10')).toBe('it is computed from A 10, as “A is more than 9” is so');
		expect(of('5')).toBe('it is computed from A 5, as “A is more than 4” is so');
		expect(of('2')).toBe('it is computed from A 2, as “A is more than 4” is not so');
		expect(of(null)).toBe('it is unknown whether “A is more than 4”: A is blank');
	});
	it('says what was counted behind a link, and how many', () => {
		const plan = planOf(rule('b', 'sum(Team.A)', { output: { hold: 'locked' } }));
		const team = ['2', '3', '4'].map((id) => ({
			type: 'thing',
			id,
			values: valuesFromJson(schema, 'thing', { a: '2', boss: '1' })
		}));
		const settled = settle(
			plan,
			{
				records: [
					{
						...submissionOf(schema, { type: 'thing', was: {}, sent: [['t', 'x']], record: '1' }),
						inLine: false
					}
				],
				entryPoint: 'full',
				instant: 0,
				person: null
			},
			recordsLoader(schema, team),
			{ zones, explain: true }
		);
		const [report] = settled.records[0].reports;
		expect(reason(plan, report)).toBe('it is computed from A of 3 things');
		expect(report.counted).toMatchObject([{ type: 'thing', n: 3, ids: ['2', '3', '4'] }]);
	});
	it('says what stands around the change where a rule reads no field', () => {
		const once = { output: { hold: 'once' as const } };
		const created = (text: string, field: string) =>
			why(planOf(rule(field, text, once)), { t: 'x' }, { was: null });
		expect(created('person', 'boss')).toBe('that is who makes the change');
		expect(created('today', 'day')).toBe('that is the day of the change');
		expect(created('now', 'at')).toBe('that is the moment of the change');
		expect(created('3', 'b')).toBe('a new record begins with it');
	});
	it('says who asked that a value be kept', () => {
		const plan = planOf(rule('b', 'A * 2'));
		const sent = { a: '3', b: '5' };
		expect(why(plan, sent)).toBe('it was set by hand after the fields it follows');
		expect(why(plan, sent, { keep: ['b'], entry: 'import' })).toBe(
			'it was kept, as the import asked'
		);
		expect(why(plan, sent, { keep: ['b'], entry: 'api' })).toBe('it was kept, as the sender asked');
	});
	it('says which options are left, and why', () => {
		const allowed: Body = {
			kind: 'allowed',
			input: 'stage',
			rows: { enquiry: ['micro', 'small'], won: ['large'] }
		};
		const plan = planOf(rule('size', allowed, { kind: 'validate', guard: formula('Flag') }));
		expect(why(plan, { stage: 'enquiry', flag: true, size: 'small' })).toBe(
			'Size class is limited to Micro, Small now, as Flag is yes, Stage is Enquiry'
		);
		// of a multi-choice as well, by their labels
		const several = planOf(rule('sizes', allowed, { kind: 'validate' }));
		expect(why(several, { stage: 'enquiry', sizes: ['small'] })).toBe(
			'Sizes is limited to Micro, Small now, as Stage is Enquiry'
		);
	});
	it('says the moment where a claim acts at creation only', () => {
		const plan = planOf(rule('b', '1', { output: { hold: 'fill' } }));
		expect(why(plan, { t: 'x' }, { was: {} })).toBe(
			'it does something only when a record is created'
		);
	});
	it('of a check names the value that kept its condition out', () => {
		const check: Body = {
			kind: 'check',
			holds: formula('B > 1'),
			message: ['No.'],
			blocking: true,
			always: false
		};
		const plan = planOf(rule('b', check, { kind: 'validate', guard: formula('A > 4') }));
		expect(why(plan, { b: '1', a: '2' })).toBe('“A is more than 4” is not so: A is 2');
		expect(why(plan, { b: '1' })).toBe('it is unknown whether “A is more than 4”: A is blank');
	});
});
