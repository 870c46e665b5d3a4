/** People as the API gives and takes them. */
import { error, json } from '@sveltejs/kit';
import { BadInput } from '../../door';
import { db } from '../db/pool';
import { listAccounts, type Account } from '../people/accounts';
import { NotThisPerson } from '../people/people';
import { allowAll, answered } from './guard';

/** A person, without what is nobody's business. */
export const personOf = ({
	id,
	name,
	email,
	role,
	person,
	service,
	retired,
	mustChange
}: Account) => ({
	id,
	name,
	email: service ? null : email,
	role,
	person,
	service,
	retired,
	mustChange
});

/** @throws 404 where there is nobody by the number */
export async function personNeeded(by: Account, id: string): Promise<Account> {
	const found = (await listAccounts(db(), by.workspace)).find((a) => a.id === id);
	return found ?? error(404, 'There is nobody by this number.');
}

/** Who asks. @throws 401, 403 or 405; 403 too where a token reaches some record types only: people are none */
export const allowPeople = (event: Parameters<typeof allowAll>[0]): Account =>
	allowAll(event, 'people');

/** Answers; what stands against a person is told at its place. */
export const answeredPerson = (work: () => Promise<{ status?: number; body: unknown }>) =>
	answered(async () => {
		try {
			const { status = 200, body } = await work();
			return json(body, { status });
		} catch (e) {
			if (e instanceof NotThisPerson) throw new BadInput(`${e.input}: ${e.message}`);
			throw e;
		}
	});
