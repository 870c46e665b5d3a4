/** Matching records, updates and messages for related records, and what is put off. Invented data. */
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import type { JsonValue } from '../fields/codec';
import type { Field, Model } from '../document/model';
import { Schema } from '../document/model';
import type { MatchBody, MessageBody, Output, Rule } from '../document/rules';
import { compilePlan } from '../plan/plan';
import { Store } from '../../../tests/store';
import { domainOf, matchKey } from '../fields/match';
import { looseKey } from '../text/loose';
import { LocalDate } from '../value/temporal';
import { periodOf } from './outgoing';
import { reason } from '../explain/reason';

const field = (id: string, type: Field['type'] = 'text', more: Partial<Field> = {}): Field => ({
	id,
	label: id[0].toUpperCase() + id.slice(1),
	group: 'G',
	type,
	...more
});
const type = (id: string, plural: string, ...fields: Field[]) => ({
	id,
	label: id,
	plural,
	title: fields[0].id,
	short: [],
	columns: [],
	fields
});
const model: Model = {
	zone: 'Europe/Amsterdam',
	lists: [],
	types: [
		type(
			'firm',
			'firms',
			field('name'),
			field('mail', 'email'),
			field('town'),
			field('notice', 'yesno'),
			field('rate', 'number'),
			field('twin', 'link', { target: 'firm', inverse: 'Twins' })
		),
		type(
			'lead',
			'leads',
			field('company'),
			field('mail', 'email'),
			field('town'),
			field('firm', 'link', { target: 'firm', inverse: 'Leads' }),
			field('rate', 'number'),
			field('stage', 'number')
		),
		type(
			'contact',
			'contacts',
			field('name'),
			field('mail', 'email'),
			field('firm', 'link', { target: 'firm', inverse: 'Contacts' })
		)
	]
};
const schema = new Schema(model);
let serial = 0;
const rule = (
	of: string,
	target: string | null,
	body: Rule['body'],
	more: Partial<Rule> = {},
	output: Partial<Output> = {}
): Rule => ({
	id: `r${++serial}`,
	type: of,
	kind: 'derive',
	name: `${of} ${target ?? 'message'}`,
	why: '',
	moments: ['created', 'changed', 'request'],
	entryPoints: null,
	watch: null,
	entering: false,
	guard: null,
	outputs: target ? [{ id: 'o', field: target, hold: 'follow', none: 'next', ...output }] : [],
	body,
	...more
});
const match = (
	on: [string, MatchBody['on'][number]['how'], string][],
	several: MatchBody['several'] = 'no result',
	of = 'firm'
): MatchBody => ({
	kind: 'match',
	type: of,
	on: on.map(([f, how, text]) => ({ field: f, how, value: { text } })),
	several
});
const formula = (text: string): Rule['body'] => ({ kind: 'formula', formulas: [{ text }] });
const storeOf = (...rules: Rule[]) => {
	const plan = compilePlan(schema, { rules, order: {} });
	expect(plan.problems).toEqual([]);
	return new Store(plan);
};
const problemOf = (r: Rule) => compilePlan(schema, { rules: [r], order: {} }).problems[0]?.message;
const put = (s: Store, of: string, id: string, sent: Record<string, JsonValue>) =>
	s.change({ type: of, id, sent });
const firms = (s: Store) => {
	put(s, 'firm', '1', {
		name: 'Brackwater Tulips',
		mail: 'office@brackwater.example',
		town: 'Lisse'
	});
	put(s, 'firm', '2', { name: 'Märram  Roses', mail: 'hi@marram.example', town: 'Lisse' });
	put(s, 'firm', '3', { name: 'Twin', town: 'Aalsmeer' });
	put(s, 'firm', '10', { name: 'twin', town: 'Lisse' });
};
const why = (s: Store, r: ReturnType<Store['change']>, claim: Rule) =>
	reason(
		s.plan,
		r.records.at(-1)!.reports.find((x) => x.rule === claim.id)!
	);

describe('a match among records', () => {
	const byName = rule('lead', 'firm', match([['name', 'loose', 'Company']]));
	it.each([
		['Brackwater Tulips', '1'],
		['  brackwater   TULIPS ', '1'],
		['marram roses', '2'],
		['Ma\u0308rram Roses', '2'],
		['MÄRRAMROSES', '2']
	])('takes “%s” whatever its case, spaces, accents and Unicode form', (company, firm) => {
		const s = storeOf(byName);
		firms(s);
		put(s, 'lead', '1', { company });
		expect(s.json('lead', '1').firm).toBe(firm);
	});
	it('says none, and which several, and takes none of them silently', () => {
		const s = storeOf(byName);
		firms(s);
		expect(why(s, put(s, 'lead', '1', { company: 'Nowhere' }), byName)).toBe(
			'no firm matches Company Nowhere'
		);
		const several = put(s, 'lead', '2', { company: 'TWIN' });
		expect(s.json('lead', '2').firm).toBeUndefined();
		expect(several.records[0].reports[0].outcome).toBe('several rows');
		expect(why(s, several, byName)).toBe('2 firms match Company TWIN: 3, 10');
		expect(why(s, put(s, 'lead', '3', { mail: 'a@b.example' }), byName)).toBe('Company is blank');
	});
	it('several: passes on, leaves, clears or takes the lowest number, as its author says', () => {
		const rest = rule('lead', 'firm', match([['mail', 'domain', 'Mail']]));
		const outcome = (several: MatchBody['several']) => {
			const s = storeOf(rule('lead', 'firm', match([['name', 'loose', 'Company']], several)), rest);
			firms(s);
			put(s, 'lead', '1', { company: 'Brackwater Tulips' });
			put(s, 'lead', '1', { company: 'twin', mail: 'x@marram.example' });
			return s.json('lead', '1').firm;
		};
		expect(outcome('no result')).toBe('2');
		expect(outcome('leave')).toBe('1');
		expect(outcome('clear')).toBeUndefined();
		expect(outcome('first')).toBe('3');
	});
	it('goes by several fields at once, and by the domain of an e-mail address', () => {
		const both = rule(
			'lead',
			'firm',
			match([
				['name', 'loose', 'Company'],
				['town', 'exact', 'Town']
			])
		);
		const s = storeOf(both);
		firms(s);
		put(s, 'lead', '1', { company: 'TWIN', town: 'Lisse' });
		expect(s.json('lead', '1').firm).toBe('10');
		const d = storeOf(rule('lead', 'firm', match([['mail', 'domain', 'Mail']])));
		firms(d);
		put(d, 'lead', '1', { mail: 'Ilse@BRACKWATER.example' });
		expect(d.json('lead', '1').firm).toBe('1');
		expect(domainOf('no address')).toBeNull();
	});
	it('sees what the same change makes of the records it searches, and never itself', () => {
		const s = storeOf(byName, rule('firm', 'twin', match([['name', 'loose', 'Name']])));
		firms(s);
		s.change(
			{ type: 'firm', id: '20', sent: { name: 'Fresh' } },
			{ type: 'lead', id: '1', sent: { company: 'fresh' } },
			{ type: 'firm', id: '1', sent: { name: 'Other' } },
			{ type: 'lead', id: '2', sent: { company: 'Brackwater Tulips' } }
		);
		expect([s.json('lead', '1').firm, s.json('lead', '2').firm]).toEqual(['20', undefined]);
		expect([s.json('firm', '10').twin, s.json('firm', '2').twin]).toEqual(['3', undefined]);
	});
	it('is refused where it cannot be right', () => {
		expect(problemOf(rule('lead', 'company', match([['name', 'loose', 'Company']])))).toContain(
			'gives a link to one; Company is a text'
		);
		expect(
			problemOf(rule('lead', 'firm', match([['name', 'loose', 'Company']]), {}, { hold: 'locked' }))
		).toContain('use Follow');
		expect(problemOf(rule('lead', 'firm', match([['rate', 'loose', 'Company']])))).toContain(
			'and how'
		);
		expect(problemOf(rule('lead', 'firm', match([['gone', 'exact', 'Company']])))).toContain(
			'Choose the field'
		);
		expect(problemOf(rule('lead', 'firm', match([])))).toContain('which field');
	});
	it('for any texts: found by the key exactly when the keys are equal', () => {
		const text = fc.string({
			unit: fc.constantFrom('a', 'A', 'á', 'a\u0301', ' ', 'ß', 'SS', 'b')
		});
		fc.assert(
			fc.property(text, text, (a, b) => {
				const s = storeOf(byName);
				put(s, 'firm', '1', { name: a });
				put(s, 'lead', '1', { company: b });
				const equal = looseKey(a) !== '' && looseKey(a) === looseKey(b);
				expect(s.json('lead', '1').firm).toBe(equal ? '1' : undefined);
				expect(matchKey('loose', a) === matchKey('loose', b)).toBe(looseKey(a) === looseKey(b));
			}),
			{ numRuns: Number(process.env.RIGID_RUNS ?? 150), seed: 20261124 }
		);
	});
});

describe('an update of each related record', () => {
	const spread = rule('lead', 'rate', formula('Firm.Rate + 1'), {
		each: 'firm',
		guard: { text: 'Notice' },
		entering: true
	});
	const seeded = (...rules: Rule[]) => {
		const s = storeOf(...rules);
		firms(s);
		for (const id of ['1', '2', '3'])
			put(s, 'lead', id, { firm: id === '3' ? '2' : '1', rate: '7' });
		return s;
	};
	it('happens once, when the other record comes to meet the condition', () => {
		const s = seeded(spread);
		const rates = () => ['1', '2', '3'].map((id) => s.json('lead', id).rate);
		put(s, 'firm', '1', { rate: '4' });
		expect(rates()).toEqual(['7', '7', '7']);
		put(s, 'firm', '1', { notice: true });
		expect(rates()).toEqual(['5', '5', '7']);
		put(s, 'lead', '1', { rate: '9' });
		put(s, 'firm', '1', { rate: '40' });
		put(s, 'firm', '1', { notice: true });
		expect(rates()).toEqual(['9', '5', '7']);
		put(s, 'firm', '1', { notice: false });
		put(s, 'firm', '1', { notice: true });
		expect(rates()).toEqual(['41', '41', '7']);
	});
	it('does nothing for a record without related ones, or for one that is only now linked', () => {
		const s = seeded(spread);
		expect(put(s, 'firm', '3', { notice: true }).records).toHaveLength(1);
		put(s, 'firm', '1', { notice: true, rate: '4' });
		put(s, 'lead', '3', { firm: '1' });
		expect(s.json('lead', '3').rate).toBe('7');
	});
	it('takes its place in the claim order of the field', () => {
		const own = rule(
			'lead',
			'rate',
			formula('Stage'),
			{ guard: { text: 'Stage > 0' } },
			{ hold: 'locked' }
		);
		const s = seeded(own, spread);
		put(s, 'lead', '1', { stage: '3' });
		const r = put(s, 'firm', '1', { notice: true, rate: '4' });
		expect([s.json('lead', '1').rate, s.json('lead', '2').rate]).toEqual(['3', '5']);
		const outranked = r.records.find((x) => x.type === 'lead' && x.id === '1')!;
		expect(outranked.reports.find((x) => x.rule === spread.id)!.outcome).toBe('outranked');
	});
	it('watches the fields that its author names, which are the other record’s', () => {
		const onName = rule('lead', 'company', formula('Firm.Name'), { each: 'firm', watch: ['name'] });
		const s = seeded(onName);
		put(s, 'firm', '1', { town: 'Here' });
		expect(s.json('lead', '1').company).toBeUndefined();
		put(s, 'firm', '1', { name: 'New name' });
		expect(s.json('lead', '1').company).toBe('New name');
	});
	it('one that fails leaves that record as it was; the others get theirs', () => {
		const long = rule(
			'lead',
			'rate',
			formula('if Stage = 1 then count(for i in 1..1000, j in 1..1000 return i) else 5'),
			{ each: 'firm', guard: { text: 'Notice' } }
		);
		const s = seeded(long);
		put(s, 'lead', '1', { stage: '1' });
		const r = put(s, 'firm', '1', { notice: true });
		expect([s.json('lead', '1').rate, s.json('lead', '2').rate]).toEqual(['7', '5']);
		expect(r.records.flatMap((x) => x.failures.map((f) => [x.id, f.field]))).toEqual([
			['1', 'rate']
		]);
	});
	it('cannot be Locked, needs something to set it off, and is no check', () => {
		expect(problemOf({ ...spread, outputs: [{ ...spread.outputs[0], hold: 'locked' }] })).toContain(
			'Locked'
		);
		expect(problemOf({ ...spread, guard: null, entering: false })).toContain('what sets it off');
		expect(problemOf({ ...spread, each: 'rate' })).toContain('Choose the link');
	});
});

describe('records that another rule reached', () => {
	it('are left out where a rule takes submitted ones only', () => {
		const follows = rule('lead', 'rate', formula('Firm.Rate'), { submittedOnly: true });
		const s = storeOf(follows);
		firms(s);
		put(s, 'firm', '1', { rate: '1' });
		put(s, 'lead', '1', { firm: '1' });
		expect(s.json('lead', '1').rate).toBe('1');
		put(s, 'firm', '1', { rate: '2' });
		expect(s.json('lead', '1').rate).toBe('1');
		expect(
			problemOf({ ...follows, outputs: [{ ...follows.outputs[0], hold: 'locked' }] })
		).toContain('leave records out');
	});
});

describe('messages', () => {
	const notice: MessageBody = {
		kind: 'message',
		each: { type: 'contact', field: 'firm' },
		filter: null,
		to: { text: 'Mail' },
		subject: ['Season at ', { text: 'Firm.Name' }],
		text: ['Dear ', { text: 'Name' }, ','],
		once: 'event'
	};
	const season = rule('firm', null, notice, { guard: { text: 'Notice' }, entering: true });
	const seeded = (...rules: Rule[]) => {
		const s = storeOf(...rules);
		firms(s);
		put(s, 'contact', '1', { name: 'Ilse', mail: 'ilse@x.example', firm: '1' });
		put(s, 'contact', '2', { name: 'Oskar', firm: '1' });
		put(s, 'contact', '3', { name: 'Marit', mail: 'ILSE@x.example', firm: '1' });
		put(s, 'contact', '4', { name: 'Noor', mail: 'noor@x.example', firm: '1' });
		return s;
	};
	const sent = (r: ReturnType<Store['change']>) =>
		r.records.flatMap((x) => x.sends.map((m) => `${m.to}: ${m.subject} / ${m.text}`));
	it('go to each related record with an address, to each address once, and only on the event', () => {
		const s = seeded(season);
		const r = put(s, 'firm', '1', { notice: true });
		expect(sent(r)).toEqual([
			'ilse@x.example: Season at Brackwater Tulips / Dear Ilse,',
			'noor@x.example: Season at Brackwater Tulips / Dear Noor,'
		]);
		expect(reason(s.plan, r.records[0].reports[0])).toBe(
			'it writes to 2 of 4 contacts, leaving out 1 without an address and 1 with an address already written to'
		);
		expect(sent(put(s, 'firm', '1', { notice: true, town: 'Elsewhere' }))).toEqual([]);
		expect(sent(put(s, 'contact', '4', { mail: 'new@x.example' }))).toEqual([]);
	});
	it('to nobody say so', () => {
		const s = seeded(season);
		const r = put(s, 'firm', '3', { notice: true });
		expect(sent(r)).toEqual([]);
		expect(r.records[0].reports[0].outcome).toBe('nobody');
		expect(reason(s.plan, r.records[0].reports[0])).toBe('there are no contacts to write to');
	});
	it('one that cannot be written is told; the others leave', () => {
		const heavy = rule(
			'firm',
			null,
			{
				...notice,
				text: [
					{
						text: 'if Name = "Ilse" then string(count(for i in 1..1000, j in 1..1000 return i)) else Name'
					}
				]
			},
			{ guard: { text: 'Notice' } }
		);
		const s = seeded(heavy);
		const r = put(s, 'firm', '1', { notice: true });
		expect(sent(r).map((m) => m.split(':')[0])).toEqual(['ILSE@x.example', 'noor@x.example']);
		expect(r.records[0].failures).toHaveLength(1);
	});
	it('about the record itself, when it comes to exceed what a linked record has', () => {
		const review = rule(
			'lead',
			null,
			{
				...notice,
				each: null,
				to: { text: 'Firm.Mail' },
				subject: ['Review'],
				text: [{ text: 'Stage' }]
			},
			{
				guard: { text: 'Stage > Firm.Rate' },
				entering: true
			}
		);
		const s = seeded(review);
		put(s, 'firm', '1', { rate: '10' });
		put(s, 'lead', '1', { firm: '1', stage: '5' });
		expect(sent(put(s, 'lead', '1', { stage: '11' }))).toEqual([
			'office@brackwater.example: Review / 11'
		]);
		expect(sent(put(s, 'lead', '1', { stage: '12' }))).toEqual([]);
		put(s, 'firm', '1', { rate: '20' });
		// what it reads through the link counts as well: the lead comes to exceed it again
		expect(sent(put(s, 'firm', '1', { rate: '1' }))).toEqual([
			'office@brackwater.example: Review / 12'
		]);
	});
	it('are never sent on request, nor by a change that somebody only looks at', () => {
		const s = seeded(season);
		expect(s.outOfLine()).toEqual([]);
	});
	it.each([
		['day', '2026-11-24', '2026-11-24'],
		['week', '2026-11-29', 'week of 2026-11-23'],
		['week', '2026-11-30', 'week of 2026-11-30'],
		['month', '2026-11-24', '2026-11'],
		['quarter', '2026-09-30', '2026-Q3'],
		['quarter', '2026-10-01', '2026-Q4'],
		['year', '2026-12-31', '2026']
	] as const)('once per %s: %s lies in %s', (once, day, period) => {
		expect(periodOf(once, LocalDate.parse(day)!)).toBe(period);
	});
	it('for a period have a key for rule, record and recipient; for an event none', () => {
		const quarterly = rule(
			'firm',
			null,
			{ ...notice, once: 'quarter' },
			{ guard: { text: 'Notice' } }
		);
		const s = seeded(quarterly, season);
		const keys = put(s, 'firm', '1', { notice: true }).records[0].sends.map((m) => m.once);
		expect(keys).toEqual([
			`${quarterly.id}/firm:1/contact:1/2026-Q4`,
			`${quarterly.id}/firm:1/contact:4/2026-Q4`,
			null,
			null
		]);
	});
	it('need a recipient, a subject and a text', () => {
		const of = (more: Partial<MessageBody>) =>
			problemOf(rule('firm', null, { ...notice, ...more }));
		expect(of({ to: { text: '1' } })).toContain('text');
		expect(of({ subject: [] })).toContain('subject');
		expect(of({ text: [] })).toContain('text');
		expect(of({ each: { type: 'contact', field: 'name' } })).toContain('related records');
	});
});
