import type { DbTrouble } from '$server/db/trouble';
import type { Account } from '$server/people/accounts';

declare global {
	namespace App {
		interface Locals {
			account: Account | null;
			session: string | null;
			/** The database could not do what was asked, and may in a moment. */
			trouble: DbTrouble | null;
			/** Of this request, in the log and in its answer. */
			request: string;
		}
		interface Error {
			message: string;
			/** Seconds after which it is worth trying again; absent where it is not. */
			again?: number;
			/** The number of the request, as the log has it. */
			request?: string;
		}
	}
}

export {};
