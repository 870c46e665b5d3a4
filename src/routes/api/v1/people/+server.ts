import { checkNewPerson, readJson } from '$door';
import { db } from '$server/db/pool';
import { answeredPerson, personOf, allowPeople } from '$server/http/people-api';
import { listAccounts } from '$server/people/accounts';
import { addPerson } from '$server/people/people';
import type { RequestHandler } from './$types';

/** Who may sign in, and services. */
export const GET: RequestHandler = (event) => {
	const by = allowPeople(event);
	return answeredPerson(async () => ({
		body: { people: (await listAccounts(db(), by.workspace)).map(personOf) }
	}));
};

/** Adds a person: `{"name": …, "email": …, "role": …}`. The password is told in the answer, once. */
export const POST: RequestHandler = (event) => {
	const by = allowPeople(event);
	return answeredPerson(async () => {
		const v = checkNewPerson(await readJson(event.request));
		const { id, password } = await addPerson(by, { ...v, person: v.person ?? null });
		return { status: 201, body: { id, password } };
	});
};
