/** Who may do what: roles, the rights they have, and what each is in words. One table, for server and pages alike. */

export const ROLES = ['reader', 'author', 'releaser', 'operator', 'administrator'] as const;
export type Role = (typeof ROLES)[number];

/** What a right lets one do, for people. */
export const RIGHTS = {
	look: 'look at records, rules, findings, the journal and messages',
	change: 'create and change records',
	import: 'import files of records, change many at once',
	remove: 'delete records',
	write: 'write rules, definitions, tables and trials; rehearse the draft',
	model: 'change the model: record types, fields, options',
	release: 'release the draft, put a release in force, take one as the draft',
	accept: 'accept findings that stop a release',
	operate: 'make and revoke tokens, keep webhooks and stand-ins, read metrics',
	people: 'add people, give roles and passwords, end sessions',
	settings: 'change how releases are made',
	audit: 'read and export who did what'
} as const;
export type Right = keyof typeof RIGHTS;

const AUTHOR: Right[] = ['look', 'change', 'import', 'remove', 'write', 'model'];

/** The rights of each role. */
export const RIGHTS_OF: Readonly<Record<Role, readonly Right[]>> = {
	reader: ['look'],
	author: AUTHOR,
	releaser: [...AUTHOR, 'release'],
	operator: ['look', 'operate'],
	administrator: Object.keys(RIGHTS) as Right[]
};

/** What each role is for, in a few words. */
export const ROLE_SAYS: Readonly<Record<Role, string>> = {
	reader: 'look at everything, change nothing',
	author: 'write rules and the model, change records',
	releaser: 'all that authors do, and release',
	operator: 'look, make tokens and webhooks, watch the service',
	administrator: 'everything, people and the audit among it'
};

/** Whether a role has a right. */
export const may = (role: Role, right: Right): boolean => RIGHTS_OF[role].includes(right);

/** Whether a role has every right that another has: a token may have no more than whoever makes it. */
export const covers = (role: Role, other: Role): boolean =>
	RIGHTS_OF[other].every((r) => may(role, r));
