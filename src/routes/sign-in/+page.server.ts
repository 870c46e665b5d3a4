import { fail, redirect } from '@sveltejs/kit';
import { readForm, type FormFaults } from '$door/forms';
import { signIn } from '$server/people/accounts';
import { db } from '$server/db/pool';
import type { Actions, PageServerLoad } from './$types';

/** Only an address on this site may be returned to. */
const onThisSite = (to: string | null) => (to && /^\/(?![/\\])/.test(to) ? to : '/');

export const load: PageServerLoad = ({ locals, url }) => {
	if (locals.account) redirect(303, onThisSite(url.searchParams.get('to')));
};

export const actions: Actions = {
	default: async ({ request, cookies, url, getClientAddress }) => {
		const form = await request.formData();
		const read = readForm('signIn', form);
		const email = String(form.get('email') ?? '').slice(0, 200);
		if (!read.ok)
			return fail(400, {
				message: Object.values(read.faults).join(' '),
				faults: read.faults,
				email
			});
		const r = await signIn(
			db(),
			read.values.email,
			read.values.password,
			getClientAddress(),
			request.headers.get('user-agent')
		);
		if (!r.ok)
			return fail(r.wait ? 429 : 400, {
				message: r.message,
				faults: { password: r.message } as FormFaults,
				email
			});
		cookies.set('session', r.token, {
			path: '/',
			httpOnly: true,
			sameSite: 'lax',
			secure: url.protocol === 'https:',
			maxAge: 12 * 3600
		});
		redirect(303, onThisSite(url.searchParams.get('to')));
	}
};
