/** What decides at a moment, read at once: the same as each part of it says. */
import { randomUUID } from 'node:crypto';
import { afterAll, beforeAll, expect, it } from 'vitest';
import { freshDatabase, type Fresh } from '../../../tests/fresh';
import { changeModel } from '../../../tests/model';
import { withNewField } from '../../core';
import { checkRows } from '../../door/living';
import { endOfPilot, startPilot } from '../draft/pilot';
import { editRows } from '../living/living';
import { lastEdit, rowsAt } from './living';
import { readModel } from './model';
import { pilotOn } from './pilot';
import { db, transaction } from './pool';
import { createRelease, putInForce, readRelease, releaseInForce, rulesOf } from './rules';
import { standing } from './standing';

const TABLE = 'district_postcodes';

let t: Fresh;
beforeAll(async () => {
	t = await freshDatabase({ customers: 5, contacts: 5, leads: 5, deals: 5 });
});
afterAll(() => t.drop());

async function byParts() {
	const { workspace } = t;
	const { rows } = await db().query<{ n: number }>(
		'select model_revision as n from workspace where id = $1',
		[workspace]
	);
	return {
		release: await releaseInForce(db(), workspace),
		modelRevision: rows[0].n,
		living: await lastEdit(db(), workspace),
		pilot: await pilotOn(db(), workspace)
	};
}

/** A release like the one in force. */
const another = () =>
	transaction(async (c) => {
		const { model } = await readModel(c, t.workspace);
		const now = (await readRelease(c, t.workspace, await releaseInForce(c, t.workspace)))!;
		return createRelease(c, t.workspace, rulesOf(now), model, 'again', null, null, false);
	});

it('is nothing of a workspace that is not there', async () => {
	expect(await standing(db(), 'nowhere')).toEqual({
		release: 0,
		modelRevision: 0,
		living: { number: 0, mark: '' },
		pilot: null
	});
});

it('is what each of its parts says, whatever comes in force', async () => {
	const seen = [await standing(db(), t.workspace)];
	const moves = async (...parts: (keyof (typeof seen)[number])[]) => {
		const now = await standing(db(), t.workspace);
		expect(now).toEqual(await byParts());
		const last = seen.at(-1)!;
		for (const part of ['release', 'modelRevision', 'living', 'pilot'] as const)
			if (parts.includes(part)) expect(now[part], part).not.toEqual(last[part]);
			else expect(now[part], part).toEqual(last[part]);
		seen.push(now);
	};
	await moves();
	const release = await another();
	await startPilot(t.admin, {
		step: 'start',
		release,
		choice: { chosen: [], brought: { roads: ['api'], accounts: null } },
		why: ''
	});
	await moves('pilot');
	await endOfPilot(t.admin, { step: 'withdraw', pilot: seen.at(-1)!.pilot!.id, why: '' });
	await moves('pilot');
	expect(seen.at(-1)!.pilot).toBeNull();
	const [row] = (await rowsAt(db(), t.workspace)).rows[TABLE];
	const edits = [
		{ id: `n_${randomUUID().slice(0, 8)}`, before: null, after: { ...row.cells, begins: '77' } }
	];
	await editRows(t.admin, TABLE, checkRows({ edits, brings: false }));
	await moves('living');
	await changeModel(
		t.admin,
		(m) => withNewField(m, 'customer', { label: 'Boiler make', group: 'Identity', type: 'text' })[0]
	);
	await moves('modelRevision');
	await transaction((c) => putInForce(c, t.workspace, release, null));
	await moves('release');
});
