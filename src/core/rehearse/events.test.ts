/** Fields filled from history, against records that lived by the rules all the time. Rules of the demo. */
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { demoModel } from '../../../demo/model';
import { demoReleases, formula } from '../../../demo/rules';
import { someValues } from '../../../tests/values';
import { zones } from '../../runtime/zones';
import { Schema } from '../document/model';
import { toJson, type JsonValue } from '../fields/codec';
import { compilePlan, openField, type Plan } from '../plan/plan';
import { settle } from '../settle/settle';
import { recordsLoader, valuesFromJson } from '../trials/records';
import type { Value } from '../value/value';
import { eventFields, givenByEvents, type PastStep } from './events';

const schema = new Schema(demoModel);
const plan = compilePlan(schema, demoReleases[2].set);
const nobody = recordsLoader(schema, []);
const at = (type: string, field: string) => schema.type(type).at.get(field)!;
const START = Date.parse('2026-03-02T09:00:00Z');
const DAY = 86_400_000;

/** What a change makes of a record by a plan. */
function live(
	by: Plan,
	type: string,
	was: readonly Value[] | null,
	sent: ReadonlyMap<string, Value>,
	instant: number
) {
	const values = was ?? schema.type(type).type.fields.map(() => null);
	const record = {
		type,
		id: '7',
		created: was === null,
		was: values,
		sent,
		keep: 'touched' as const,
		inLine: true
	};
	const change = { records: [record], entryPoint: 'full' as const, instant, person: null };
	return settle(by, change, nobody, { zones }).records[0].values.slice();
}

/** Lives some changes by a plan. @returns where it ends, and the changes as history has them */
function lived(by: Plan, type: string, sends: readonly ReadonlyMap<string, Value>[]) {
	let was: readonly Value[] | null = null;
	const steps: PastStep[] = [];
	for (const [i, sent] of sends.entries()) {
		const instant = START + i * DAY;
		const now: readonly Value[] = live(by, type, was, sent, instant);
		const had = was;
		const became = new Map(
			schema
				.type(type)
				.type.fields.flatMap((f, k): [string, Value][] =>
					toJson(had?.[k] ?? null) === toJson(now[k]) ? [] : [[f.id, now[k]]]
				)
		);
		steps.push({
			instant,
			entryPoint: 'full',
			person: null,
			created: was === null,
			became,
			keep: 'touched'
		});
		was = now;
	}
	return { end: was!, steps };
}
const blank = (type: string) => schema.type(type).type.fields.map((): Value => null);
const values = (type: string, json: Parameters<typeof valuesFromJson>[2]) => {
	const all = valuesFromJson(schema, type, json);
	return new Map(Object.keys(json).map((f) => [f, all[at(type, f)]]));
};

describe('fields that something that happens gives a value', () => {
	it('are those of event rules, and none that is held at a value', () => {
		expect(eventFields(plan, 'deal').sort()).toEqual([
			'amount_before_the_change',
			'stage_before_loss',
			'stage_changed_at',
			'stage_it_came_from',
			'times_moved_back'
		]);
		expect(eventFields(plan, 'customer')).not.toContain('trading_region');
	});
});

describe('filled from history', () => {
	const typed: Record<string, JsonValue>[] = [
		{ stage: 'quotation', amount: '100' },
		{ stage: 'survey' },
		{ amount: '80' },
		{ stage: 'negotiation' },
		{ stage: 'quotation' },
		{ name: 'Glasshouse' }
	];
	const sends = typed.map((json) => values('deal', json));
	const told = (field: string, steps: readonly PastStep[], was = blank('deal')) =>
		givenByEvents(plan, { type: 'deal', id: '7', was }, field, steps, zones);

	it('counts what happened, and says which change it was and why', () => {
		const { steps } = lived(openField(plan, 'deal', 'times_moved_back'), 'deal', sends);
		const given = told('times_moved_back', steps);
		expect(given).toMatchObject({ step: 4 });
		expect(given).not.toBe('beyond');
		if (given === 'beyond' || !given) return;
		expect(toJson(given.value)).toBe('2');
		expect(plan.claims.get(given.claim)!.rule.id).toBe('moved_back');
		expect(given.because).toContain('Stage');
	});
	it('has the moment of the event, not that of the filling', () => {
		const { steps } = lived(openField(plan, 'deal', 'stage_changed_at'), 'deal', sends);
		const given = told('stage_changed_at', steps);
		expect(given && given !== 'beyond' && toJson(given.value)).toBe('2026-03-06T09:00:00.000Z');
	});
	it('is nothing where nothing happened, or where a person sent a value afterwards', () => {
		const by = openField(plan, 'deal', 'times_moved_back');
		const { steps } = lived(by, 'deal', sends.slice(0, 1));
		expect(told('times_moved_back', steps)).toBeNull();
		const rest = lived(by, 'deal', [...sends, values('deal', { times_moved_back: '9' })]);
		expect(told('times_moved_back', rest.steps.slice(0, -1))).toMatchObject({ step: 4 });
		expect(told('times_moved_back', rest.steps)).toBeNull();
	});
	it('goes on from what was there where history begins later', () => {
		const by = openField(plan, 'deal', 'times_moved_back');
		const { steps } = lived(by, 'deal', sends);
		const was = [...lived(by, 'deal', sends.slice(0, 3)).end];
		was[at('deal', 'times_moved_back')] = values('deal', { times_moved_back: '5' }).get(
			'times_moved_back'
		)!;
		const given = told('times_moved_back', steps.slice(3), was);
		expect(given && given !== 'beyond' && toJson(given.value)).toBe('6');
	});

	it('is not known where a rule asks a record that is linked: nobody knows what that was', () => {
		const [moved, ...rules] = [...demoReleases[2].set.rules].sort((a) =>
			a.id === 'moved_back' ? -1 : 1
		);
		const guard = formula('deal', 'moved back(Stage) and Customer.Headcount > 50');
		const asks = compilePlan(schema, {
			...demoReleases[2].set,
			rules: [{ ...moved, guard }, ...rules]
		});
		const was = blank('deal');
		const steps = lived(asks, 'deal', [values('deal', { customer: '3' }), ...sends]).steps;
		expect(
			givenByEvents(asks, { type: 'deal', id: '7', was }, 'times_moved_back', steps, zones)
		).toBe('beyond');
	});

	const sent = fc
		.tuple(
			someValues(schema, 'deal'),
			fc.subarray(['stage', 'amount', 'name', 'discount_percent', 'close_date'])
		)
		.map(([all, fields]) =>
			values('deal', Object.fromEntries(fields.flatMap((f) => (f in all ? [[f, all[f]]] : []))))
		);
	const some = fc.array(sent, { minLength: 1, maxLength: 8 });
	it.each(eventFields(plan, 'deal'))('%s is what the rules would have made of it', (field) => {
		let times = 0;
		fc.assert(
			fc.property(some, (all) => {
				const truth = lived(plan, 'deal', all).end[at('deal', field)];
				const { steps } = lived(openField(plan, 'deal', field), 'deal', all);
				const given = told(field, steps);
				expect(given).not.toBe('beyond');
				if (truth !== null) times++;
				expect(toJson(given && given !== 'beyond' ? given.value : null)).toEqual(toJson(truth));
			}),
			{ numRuns: 200 }
		);
		expect(times).toBeGreaterThan(0);
	});
});
