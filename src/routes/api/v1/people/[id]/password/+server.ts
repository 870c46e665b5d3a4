import { answeredPerson, personNeeded, allowPeople } from '$server/http/people-api';
import { resetPassword } from '$server/people/people';
import type { RequestHandler } from './$types';

/** Gives a person a new password, told in the answer once; their sessions end. */
export const POST: RequestHandler = (event) => {
	const by = allowPeople(event);
	return answeredPerson(async () => {
		const { id } = await personNeeded(by, event.params.id);
		return { body: { password: await resetPassword(by, id) } };
	});
};
