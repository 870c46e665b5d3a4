import { checkPersonChange, readJson } from '$door';
import { answeredPerson, personNeeded, personOf, allowPeople } from '$server/http/people-api';
import { changePerson } from '$server/people/people';
import type { RequestHandler } from './$types';

/** A person. */
export const GET: RequestHandler = (event) => {
	const by = allowPeople(event);
	return answeredPerson(async () => ({ body: personOf(await personNeeded(by, event.params.id)) }));
};

/** Changes what a person is called and may do, retires them or takes them back: `{"retired": true}`. */
export const PATCH: RequestHandler = (event) => {
	const by = allowPeople(event);
	return answeredPerson(async () => {
		const { id } = await personNeeded(by, event.params.id);
		const change = checkPersonChange(await readJson(event.request));
		return { body: personOf(await changePerson(by, id, change)) };
	});
};
