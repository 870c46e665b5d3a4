import type { Account } from '$server/people/accounts';

declare global {
	namespace App {
		interface Locals {
			account: Account | null;
			session: string | null;
			/** What the database could not do: with `again`, in a moment it may; with `status`, what was sent is at fault. */
			trouble: { message: string; again?: number; status?: number } | null;
			/** Network address from which it came: the proxy's word where that is trusted. */
			address: string;
			/** Of this request, in the log and in its answer. */
			request: string;
		}
		interface PageState {
			/** A record that was just created, and what was said of it. */
			made?: {
				type: string;
				id: string;
				saved: string | null;
				failed: { field: string; rule: string; message: string }[];
			};
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
