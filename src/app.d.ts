import type { Account } from '$server/people/accounts';

declare global {
	namespace App {
		interface Locals {
			account: Account | null;
			session: string | null;
		}
		interface Error {
			message: string;
		}
	}
}

export {};
