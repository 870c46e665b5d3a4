/** The forms of sign-in and settings: what each may send. The page asks before it sends, the server after. */
import * as yup from 'yup';
import { CRITERIA, LEVELS, type Criterion } from './gate';
import { ROLES } from './rights';

/** Longest name of a person or token. */
const NAME = 80;
const line = () =>
	yup
		.string()
		.trim()
		.matches(/^\P{Cc}*$/u, 'That is not one line of text.');
const name = (what: string) =>
	line().required(`Give ${what} a name.`).max(NAME, `A name may have ${NAME} characters.`);

const number = yup
	.string()
	.matches(/^\d{1,18}$/, 'There is no such person.')
	.required();
const secret = (ask: string) =>
	yup.string().required(ask).max(1000, 'A password may have 1000 characters.');

/** Days for which something is kept; empty for good. */
const days = () =>
	yup
		.string()
		.trim()
		.matches(/^([1-9]\d{0,4})?$/, 'Write a number of days from 1 to 99 999, or nothing.')
		.default('');

const percent = () =>
	yup
		.string()
		.trim()
		.matches(/^(100|\d{1,2})$/, 'Write a whole number from 0 to 100.')
		.required('Write a whole number from 0 to 100.');
const level = () => yup.string().oneOf(LEVELS, 'Choose what it means.').required();

/** What is kept for as many days as the settings say. */
export const KEPT = ['history', 'messages', 'imports', 'jobs'] as const;

/** How often the stand-in for a source of leads posts one, by milliseconds between them. */
export const PACES = {
	'200': 'five a second',
	'1000': 'one a second',
	'5000': 'one in five seconds',
	'30000': 'one in half a minute'
} as const;
export type Pace = keyof typeof PACES;

/** What the form showed when its page was opened, as shown.ts reads it. */
const shown = yup.string().max(10_000, 'Open the page anew.');
const hook = {
	name: name('the webhook'),
	to: yup
		.string()
		.oneOf(['stand-in', 'address'] as const, 'Say who is told.')
		.required('Say who is told.'),
	address: yup
		.string()
		.trim()
		.max(2000, 'An address may have 2000 characters.')
		.when('to', {
			is: 'address',
			then: (s) =>
				s
					.required('Type the address, such as https://shop.example/records.')
					.test('url', 'That is no address: it begins with https:// or http://.', (a) => isHttp(a))
		}),
	/** Record types, a space between them; none for all. */
	types: yup.string().max(2000)
};
function isHttp(address: string): boolean {
	try {
		return /^https?:$/.test(new URL(address).protocol) && !/[\s\p{Cc}]/u.test(address);
	} catch {
		return false;
	}
}

export const FORMS = {
	signIn: yup.object({
		email: line()
			.required('Type the e-mail address with which you sign in.')
			.max(200, 'An address may have 200 characters.'),
		password: yup
			.string()
			.required('Type your password.')
			.max(1000, 'A password may have 1000 characters.')
	}),
	person: yup.object({
		id: yup.string(),
		name: name('the person'),
		email: line()
			.required('Give the e-mail address with which the person signs in.')
			.max(200, 'An address may have 200 characters.')
			.email('That is no e-mail address.'),
		role: yup.string().oneOf(ROLES, 'Choose a role.').required('Choose a role.'),
		person: yup.string().matches(/^\d{0,18}$/, 'That is no record number.'),
		shown
	}),
	first: yup.object({
		code: secret('Type the code that stands in the log.'),
		name: name('yourself'),
		email: line()
			.required('Give the e-mail address with which you sign in.')
			.max(200, 'An address may have 200 characters.')
			.email('That is no e-mail address.'),
		password: secret('Choose a password.'),
		again: secret('Type the password once more.').oneOf(
			[yup.ref('password')],
			'The two passwords are not the same.'
		)
	}),
	personId: yup.object({ id: number }),
	personType: yup.object({ type: yup.string().trim().max(60).default('') }),
	password: yup.object({
		old: secret('Type your present password.'),
		next: secret('Type the new password.'),
		again: secret('Type the new password once more.').oneOf(
			[yup.ref('next')],
			'The two new passwords are not the same.'
		)
	}),
	session: yup.object({ id: yup.string().matches(/^\d{0,18}$/) }),
	token: yup.object({
		label: name('the token'),
		of: yup.string().matches(/^\d{0,18}$/, 'There is no such service.'),
		role: yup.string().oneOf(ROLES, 'Choose a role.').required('Choose a role.'),
		/** Record types, a space between them; none for all. */
		types: yup.string().max(2000),
		ends: yup
			.string()
			.matches(/^(\d{4}-\d{2}-\d{2})?$/, 'Write the day as 2027-01-31.')
			.test(
				'day',
				'There is no such day.',
				(d) => !d || (!Number.isNaN(Date.parse(d)) && new Date(d).toISOString().slice(0, 10) === d)
			)
			.test('future', 'That day is over.', (d) => !d || d >= new Date().toISOString().slice(0, 10))
	}),
	import: yup.object({
		/** What each column is taken for, a line each; an empty line leaves it out. */
		columns: yup.string().max(20_000).default(''),
		/** Fields, a space between them. */
		keep: yup.string().max(5_000),
		by: yup.string().max(60),
		mode: yup
			.string()
			.oneOf(['both', 'create', 'change'] as const, 'Say what may become of a row.')
			.required('Say what may become of a row.'),
		again: yup.string().oneOf(['', 'yes'])
	}),
	service: yup.object({
		name: name('the service'),
		role: yup.string().oneOf(ROLES, 'Choose a role.').required('Choose a role.')
	}),
	keep: yup.object({ history: days(), messages: days(), imports: days(), jobs: days(), shown }),
	releases: yup.object({ second: yup.string().oneOf(['', 'yes']) }),
	gate: yup.object({
		...(Object.fromEntries(CRITERIA.map((c) => [c, level()])) as Record<
			Criterion,
			ReturnType<typeof level>
		>),
		coverageLeast: percent(),
		strengthLeast: percent(),
		inherited: yup.string().oneOf(['', 'yes']),
		shown
	}),
	revoke: yup.object({
		id: yup
			.string()
			.matches(/^\d{1,18}$/, 'There is no such token.')
			.required()
	}),
	hook: yup.object(hook),
	hookChange: yup.object({
		...hook,
		state: yup
			.string()
			.oneOf(['on', 'paused', 'off'] as const, 'Say whether it is told.')
			.required('Say whether it is told.'),
		shown
	}),
	/** Nothing but the button. */
	plain: yup.object({}),
	/** An event; none for all that did not arrive. */
	event: yup.object({ id: yup.string().matches(/^\d{0,18}$/, 'There is no such event.') }),
	message: yup.object({
		id: yup
			.string()
			.matches(/^\d{1,18}$/, 'There is no such message.')
			.required()
	}),
	standIns: yup.object({
		mailbox: yup.string().oneOf(['takes', 'away'] as const, 'Say how the mail system answers.'),
		receiver: yup
			.string()
			.oneOf(['takes', 'away', 'refuses', 'slow'] as const, 'Say how the receiver answers.')
	}),
	leadSource: yup.object({
		of: yup
			.string()
			.matches(/^\d{1,18}$/, 'Choose the service for which it acts.')
			.required('Choose the service for which it acts.'),
		type: yup.string().max(60).required('Choose what it posts.'),
		every: yup
			.string()
			.oneOf(Object.keys(PACES) as Pace[], 'Choose a pace.')
			.required('Choose a pace.'),
		minutes: yup
			.string()
			.trim()
			.matches(/^([1-9]|[1-5]\d|60)$/, 'Write a number of minutes from 1 to 60.')
			.required('Write a number of minutes from 1 to 60.')
	})
} as const;

/** A hook as it is asked for. */
export interface HookAsked {
	name: string;
	/** Null for the stand-in that ships with the application. */
	address: string | null;
	/** Null for all. */
	types: string[] | null;
}

export type FormName = keyof typeof FORMS;
/** What a form holds once it has passed. */
export type FormValues<N extends FormName> = yup.InferType<(typeof FORMS)[N]>;
/** By the name of the input, what would be right there. */
export type FormFaults = Record<string, string>;

/** Reads what a form sends; of each input that is wrong, one sentence. */
export function readForm<N extends FormName>(
	form: N,
	data: FormData
): { ok: true; values: FormValues<N> } | { ok: false; faults: FormFaults } {
	const shape = FORMS[form];
	// only what the form has is looked at: of a name that comes twice the first, and no files
	const sent = Object.fromEntries(
		Object.keys(shape.fields).flatMap((key) => {
			const value = data.get(key);
			return typeof value === 'string' ? [[key, value]] : [];
		})
	);
	try {
		const values = shape.validateSync(sent, { abortEarly: false, stripUnknown: true });
		return { ok: true, values: values as FormValues<N> };
	} catch (e) {
		if (!(e instanceof yup.ValidationError)) throw e;
		const faults: FormFaults = {};
		for (const x of e.inner.length ? e.inner : [e]) faults[x.path ?? ''] ??= x.message;
		return { ok: false, faults };
	}
}
