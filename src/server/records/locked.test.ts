/** Switching the release in force leaves no Locked value stale, in PostgreSQL. */
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import type { RuleSet } from '../../core';
import { Schema, compilePlan } from '../../core';
import { carriedChanges, pendingOf } from '../db/carried';
import { readModel } from '../db/model';
import { db, transaction } from '../db/pool';
import { createRelease, putInForce, readRelease, rulesOf, withLiving } from '../db/rules';
import { carryOn } from '../jobs/turn';
import { inForce, save } from '.';
import { noteLocked } from './locked';
import { lockedOtherwise } from '../../../tests/from-nothing';
import { freshDatabase } from '../../../tests/fresh';

let t: Awaited<ReturnType<typeof freshDatabase>>;
beforeAll(async () => {
	t = await freshDatabase({ customers: 40, contacts: 20, leads: 20, deals: 80 });
});
afterAll(() => t.drop());

const NOW = Date.UTC(2026, 10, 24, 9);

/** Fields whose Locked claim gives another value than is stored, as `type.field`, each with how many. */
async function stale(): Promise<Record<string, number>> {
	const out: Record<string, number> = {};
	for (const one of await lockedOtherwise(t.workspace)) {
		const [type, , field] = one.split(' ');
		out[`${type}.${field}`] = (out[`${type}.${field}`] ?? 0) + 1;
	}
	return out;
}

/** Puts a rule set in force as the release page does. */
const release = (change: (set: RuleSet) => RuleSet) =>
	transaction(async (c) => {
		const { plan: before, release: n } = await inForce(c, t.workspace);
		const { model } = await readModel(c, t.workspace);
		const set = change(rulesOf((await readRelease(c, t.workspace, n))!));
		const after = compilePlan(new Schema(model), await withLiving(c, t.workspace, set));
		expect(after.problems).toEqual([]);
		const number = await createRelease(c, t.workspace, set, model, 'A test', t.admin.id);
		return { number, noted: await noteLocked(c, t.admin, number, { before, after }, NOW) };
	});

const netAmount = (set: RuleSet): RuleSet => ({
	...set,
	rules: set.rules.map((r) =>
		r.id === 'open_deals' || r.outputs.some((o) => o.field === 'net_amount')
			? {
					...r,
					body: {
						kind: 'formula' as const,
						formulas: [{ expr: { k: 'num' as const, v: '1' } }]
					}
				}
			: r
	)
});

describe('a switch of the release in force', () => {
	it('notes what it may leave out of line, and carries it on: no Locked value stays stale', async () => {
		const { noted } = await release(netAmount);
		expect(noted).toBeGreaterThan(0);
		expect(Object.keys(await stale())).not.toEqual([]);
		expect((await pendingOf(db(), t.workspace)).counts.length).toBeGreaterThan(0);
		// as the page of jobs tells it: whose, and how much is left
		const carried = await carriedChanges(db(), t.workspace, 10);
		expect(carried).toEqual([
			{
				id: expect.any(String),
				by: t.admin.name,
				at: expect.stringMatching(/^20.*Z$/),
				left: noted,
				stuck: 0,
				trouble: null
			}
		]);
		await carryOn();
		expect(await stale()).toEqual({});
		expect(await carriedChanges(db(), t.workspace, 10)).toEqual([]);
		expect((await pendingOf(db(), t.workspace)).counts).toEqual([]);
	});
	it('back to the release before, likewise, whatever was saved in between', async () => {
		const { release: n } = await inForce(db(), t.workspace);
		await transaction(async (c) => {
			const { plan: before, schema } = await inForce(c, t.workspace);
			await putInForce(c, t.workspace, n - 1, t.admin.id);
			const doc = (await readRelease(c, t.workspace, n - 1))!;
			const after = compilePlan(
				new Schema(schema.model),
				await withLiving(c, t.workspace, rulesOf(doc))
			);
			await noteLocked(c, t.admin, n - 1, { before, after }, NOW);
		});
		const sender = { workspace: t.workspace, account: t.admin, entryPoint: 'api' as const };
		await save({ ...sender, instant: NOW }, [
			{ type: 'deal', id: '1', sent: [['amount', '777']], keep: [] }
		]);
		await carryOn();
		expect(await stale()).toEqual({});
	});
	it('that changes no Locked field notes nothing', async () => {
		const { noted } = await release((set) => ({
			...set,
			rules: set.rules.map((r) => ({ ...r, why: 'Another reason' }))
		}));
		expect(noted).toBe(0);
	});
});
