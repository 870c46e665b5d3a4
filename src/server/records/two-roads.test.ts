/**
 * The form as it is shown and the server as it saves decide the same, for generated changes of every
 * type of field. `RIGID_RUNS=10000` for as many as that.
 */
import fc from 'fast-check';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import type { Field, JsonValue } from '../../core';
import { Gathered, Schema, compilePlan, settle, submissionOf, toJson } from '../../core';
import { zones } from '../../runtime/zones';
import { readModel } from '../db/model';
import { db } from '../db/pool';
import { readRecords } from '../db/records';
import { readRelease, rulesOf, withLiving } from '../db/rules';
import type { RefusedChange } from '.';
import { addedOf, inForce, save } from '.';
import { fetchNeeds } from './near';
import { freshDatabase } from '../../../tests/fresh';

let t: Awaited<ReturnType<typeof freshDatabase>>;
beforeAll(async () => {
	t = await freshDatabase({ customers: 20, contacts: 20, leads: 20, deals: 40 });
});
afterAll(() => t.drop());

const NOW = Date.UTC(2026, 10, 24, 9);
const RUNS = Number(process.env.RIGID_RUNS ?? 300);

/** A value of a field as a person types or picks it; blank now and then. */
function valueOf(f: Field, schema: Schema): fc.Arbitrary<JsonValue> {
	const ids = (f.list ? schema.lists.get(f.list)!.options : [])
		.filter((o) => !o.retired)
		.map((o) => o.id);
	const some = (): fc.Arbitrary<JsonValue> => {
		switch (f.type) {
			case 'yesno':
				return fc.boolean();
			case 'choice':
				return fc.constantFrom(...ids);
			case 'choices':
				return fc.subarray(ids, { minLength: 1 });
			case 'link':
				return fc.integer({ min: 1, max: 10 }).map(String);
			case 'number':
			case 'money':
			case 'percent':
				return fc.oneof(
					fc.integer({ min: -2, max: 400 }).map(String),
					fc.constantFrom('0.005', '12.345', '1000000', '49.999')
				);
			case 'date':
				return fc.constantFrom('2026-11-23', '2026-11-24', '2027-02-28', '24 Dec 2026');
			case 'moment':
				return fc.constantFrom(
					'2026-11-24T22:30:00Z',
					'2026-11-25T00:30:00+02:00',
					'2026-10-25 02:30'
				);
			case 'phone':
				return fc.constantFrom('020 123 4567', '+31 20 794 0311', 'x');
			case 'email':
				return fc.constantFrom('ann@fen.example', 'Bob@Fen.example');
			default:
				return fc.constantFrom('Aa', '  Bb  Cc ', 'Brackwater Tulips', '1234 AB', 'NL-7');
		}
	};
	return fc.oneof({ weight: 5, arbitrary: some() }, { weight: 1, arbitrary: fc.constant(null) });
}

describe('form and server', () => {
	it('give the same values, and refuse the same, for any changes', async () => {
		const { schema, release } = await inForce(db(), t.workspace);
		const doc = (await readRelease(db(), t.workspace, release))!;
		const { model } = await readModel(db(), t.workspace);
		// the form compiles what the page was sent by itself
		const form = compilePlan(new Schema(model), await withLiving(db(), t.workspace, rulesOf(doc)));
		const change = fc.constantFrom('customer', 'contact', 'lead', 'deal').chain((type) => {
			const { fields } = schema.type(type).type;
			const one = fc
				.constantFrom(...fields.filter((f) => !f.retired))
				.chain((f) => valueOf(f, schema).map((v): [string, JsonValue] => [f.id, v]));
			return fc.record({
				type: fc.constant(type),
				id: fc.option(fc.integer({ min: 1, max: 20 }).map(String)),
				sent: fc.uniqueArray(one, { minLength: 1, maxLength: 6, selector: ([f]) => f }),
				short: fc.boolean()
			});
		});
		const types = new Set<string>();
		await fc.assert(
			fc.asyncProperty(change, async ({ type, id, sent, short }) => {
				const entryPoint = short ? ('short' as const) : ('full' as const);
				const [stored] = id ? await readRecords(db(), schema, t.workspace, type, [id]) : [];
				if (id && !stored) return;
				const { fields } = schema.type(type).type;
				for (const [f] of sent) types.add(fields.find((x) => x.id === f)!.type);
				const was = stored
					? Object.fromEntries(fields.map((f, i) => [f.id, toJson(stored.values[i])]))
					: null;
				const shown = await new Gathered(() => form.schema).settle(
					(needs) => fetchNeeds(db(), t.workspace, schema, needs, { ahead: 3 }),
					(loader) =>
						settle(
							form,
							{
								records: [
									{
										...submissionOf(form.schema, {
											type,
											was,
											sent,
											...(id ? { record: id } : {})
										}),
										inLine: stored?.settledBy?.release === release,
										added: addedOf(stored?.setBy ?? {})
									}
								],
								entryPoint,
								instant: NOW,
								person: t.admin.person
							},
							loader,
							{ zones, states: true, alone: true }
						)
				);
				const [rec] = shown.records;
				const saved = await save(
					{ workspace: t.workspace, account: t.admin, entryPoint, instant: NOW },
					[{ type, id, sent, keep: 'touched' }]
				).then(
					([o]) => o,
					(e: RefusedChange) => e
				);
				const blocking = rec.messages.filter((m) => m.blocking).map((m) => m.text);
				if (saved instanceof Error) {
					// a link to nothing and the like is refused before any rule is asked
					if (saved.status === 422) expect(saved.faults.map((f) => f.message)).toEqual(blocking);
					return;
				}
				expect(blocking).toEqual([]);
				// a set has no order
				const plain = (v: JsonValue) => (Array.isArray(v) ? [...v].sort() : v);
				for (const [i, f] of fields.entries())
					expect([f.id, plain(saved.values[f.id])]).toEqual([f.id, plain(toJson(rec.values[i]))]);
			}),
			{ numRuns: RUNS }
		);
		expect(types.size).toBeGreaterThan(9);
	}, 600_000);
});
