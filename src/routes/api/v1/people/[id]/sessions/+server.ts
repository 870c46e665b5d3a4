import { answeredPerson, personNeeded, allowPeople } from '$server/http/people-api';
import { endSessionsOf } from '$server/people/people';
import type { RequestHandler } from './$types';

/** Ends the sessions of a person; they may sign in again. */
export const DELETE: RequestHandler = (event) => {
	const by = allowPeople(event);
	return answeredPerson(async () => {
		const { id } = await personNeeded(by, event.params.id);
		return { body: { ended: await endSessionsOf(by, id) } };
	});
};
