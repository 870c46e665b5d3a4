import { readShown } from '$door/shown';
import { inForce } from '$server/records';
import { needsSecond } from '$server/db/people';
import { titlesOf } from '$server/db/records';
import { db, transaction } from '$server/db/pool';
import { BadModel, changePersonType } from '$server/draft/model';
import { formAction, refuse } from '$server/http/forms';
import { allow } from '$server/http/guard';
import { listAccounts } from '$server/people/accounts';
import {
	NotThisPerson,
	addPerson,
	addService,
	changePerson,
	resetPassword
} from '$server/people/people';
import type { Actions, PageServerLoad } from './$types';

export const load: PageServerLoad = async (event) => {
	event.depends('app:work');
	const account = allow(event);
	const { workspace } = account;
	const people = await listAccounts(db(), workspace);
	const { schema } = await inForce(db(), workspace);
	const { personType } = schema.model;
	const ids = people.flatMap((p) => (p.person ? [p.person] : []));
	const titles = personType
		? Object.fromEntries(await titlesOf(db(), schema, workspace, personType, ids))
		: {};
	return {
		people: people.map(({ workspace: _, ...p }) => p),
		titles,
		second: await needsSecond(db(), workspace)
	};
};

/** The event that every action of this page gets. */
type On = Parameters<NonNullable<Actions[string]>>[0];

/** What stands against it is told at its input. */
async function told<T>(work: () => Promise<T>): Promise<T> {
	try {
		return await work();
	} catch (e) {
		if (e instanceof NotThisPerson) refuse(e.input, e.message);
		throw e;
	}
}

export const actions = {
	add: formAction('person', async (v, event: On) => {
		const by = allow(event);
		const p = { name: v.name, email: v.email, role: v.role, person: v.person || null };
		const { password } = await told(() => addPerson(by, p));
		return { done: `${v.name} may sign in now.`, once: { name: v.name, password } };
	}),
	service: formAction('service', async (v, event: On) => {
		await addService(allow(event), v);
		return { done: `${v.name} is added. Make a token for it under Settings.` };
	}),
	change: formAction('person', async (v, event: On) => {
		const by = allow(event);
		const change = { name: v.name, email: v.email, role: v.role, person: v.person || null };
		await told(() => changePerson(by, v.id ?? '', change, readShown(v.shown)));
		return { done: `${v.name} is stored.` };
	}),
	retire: formAction('personId', async (v, event: On) => {
		const by = allow(event);
		const p = await told(() => changePerson(by, v.id, { retired: true }));
		return {
			done: `${p.name} signs in nowhere any more; open pages and tokens of theirs are closed.`
		};
	}),
	takeBack: formAction('personId', async (v, event: On) => {
		const by = allow(event);
		const p = await told(() => changePerson(by, v.id, { retired: false }));
		return { done: `${p.name} may sign in again.` };
	}),
	type: formAction('personType', async (v, event: On) => {
		const by = allow(event);
		try {
			await transaction((c) => changePersonType(c, by, v.type || null));
		} catch (e) {
			if (e instanceof BadModel) refuse('type', e.message);
			throw e;
		}
		return { done: 'What people stand for is stored.' };
	}),
	password: formAction('personId', async (v, event: On) => {
		const by = allow(event);
		const password = await told(() => resetPassword(by, v.id));
		const people = await listAccounts(db(), by.workspace);
		const name = people.find((p) => p.id === v.id)?.name ?? '';
		return { done: `${name} has a new password.`, once: { name, password } };
	})
} satisfies Actions;
