import { KEPT } from '$door/forms';
import type { Gate } from '$door/gate';
import { may } from '$door/rights';
import { gateShown, keepShown, readShown, refuseStale } from '$door/shown';
import { readModel } from '$server/db/model';
import { needsSecond, setSecond } from '$server/db/people';
import { db, transaction } from '$server/db/pool';
import { historyFrom, readKeep, storeKeep, type Keep } from '$server/db/retention';
import { lockWorkspace, readGate, storeGate } from '$server/db/workspace';
import { note } from '$server/audit/audit';
import { formAction, refuse } from '$server/http/forms';
import { allow } from '$server/http/guard';
import {
	NoSuchToken,
	createToken,
	listAccounts,
	listTokens,
	revokeToken
} from '$server/people/accounts';
import type { Actions, PageServerLoad } from './$types';

export const load: PageServerLoad = async (event) => {
	const account = allow(event);
	const { workspace } = account;
	const operates = may(account.role, 'operate');
	const services = operates
		? (await listAccounts(db(), workspace)).filter((a) => a.service && !a.retired)
		: [];
	return {
		second: await needsSecond(db(), workspace),
		keep: await readKeep(db(), workspace),
		historyFrom: await historyFrom(db(), workspace),
		gate: await readGate(db(), workspace),
		tokens: operates ? await listTokens(db(), workspace) : [],
		services: services.map(({ id, name, role }) => ({ id, name, role }))
	};
};

/** The event that every action of this page gets. */
type On = Parameters<NonNullable<Actions[string]>>[0];

export const actions = {
	token: formAction('token', async (v, event: On) => {
		const by = allow(event);
		const all = await listAccounts(db(), by.workspace);
		const of = v.of ? all.find((a) => a.id === v.of && a.service && !a.retired) : by;
		if (!of) refuse('of', 'There is no such service any more.');
		const { model } = await readModel(db(), by.workspace);
		const types = model.types.filter((t) => v.types?.split(' ').includes(t.id)).map((t) => t.id);
		const t = {
			name: v.label,
			role: v.role,
			ends: v.ends || null,
			types: types.length ? types : null
		};
		try {
			return { token: await createToken(by, of, t) };
		} catch (e) {
			if (e instanceof NoSuchToken) refuse(e.input, e.message);
			throw e;
		}
	}),
	revoke: formAction('revoke', async (v, event: On) => {
		await revokeToken(allow(event), v.id);
		return { done: 'The token opens nothing any more.' };
	}),
	keep: formAction('keep', async (v, event: On) => {
		const by = allow(event);
		const keep: Keep = Object.fromEntries(KEPT.flatMap((k) => (v[k] ? [[k, Number(v[k])]] : [])));
		await transaction(async (c) => {
			await lockWorkspace(c, by.workspace);
			const was = await readKeep(c, by.workspace);
			refuseStale(readShown(v.shown), keepShown(was));
			await storeKeep(c, by.workspace, keep);
			await note(c, by, 'changed a setting', 'How long what is kept', { was, now: keep });
		});
		return {
			done: 'Stored. What is older goes within the next ten minutes, and does not come back.'
		};
	}),
	gate: formAction('gate', async (v, event: On) => {
		const by = allow(event);
		const { coverageLeast, strengthLeast, inherited, shown, ...levels } = v;
		const gate: Gate = {
			levels,
			coverage: Number(coverageLeast),
			strength: Number(strengthLeast),
			inherited: inherited === 'yes'
		};
		await transaction(async (c) => {
			await lockWorkspace(c, by.workspace);
			const was = await readGate(c, by.workspace);
			refuseStale(readShown(shown), gateShown(was));
			await storeGate(c, by.workspace, gate);
			await note(c, by, 'changed a setting', 'What has to be so before a release', {
				was,
				now: gate
			});
		});
		return { done: 'Stored. It counts from the next release on.' };
	}),
	releases: formAction('releases', async (v, event: On) => {
		const by = allow(event);
		const on = v.second === 'yes';
		await transaction(async (c) => {
			await setSecond(c, by.workspace, on);
			await note(c, by, 'changed a setting', 'Release by a second person', { now: on });
		});
		return {
			done: on
				? 'From now on somebody releases only what others wrote.'
				: 'From now on one may release what one wrote.'
		};
	})
} satisfies Actions;
