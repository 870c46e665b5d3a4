import { fail, redirect } from '@sveltejs/kit';
import { readForm, type FormFaults } from '$door/forms';
import { signIn } from '$server/people/accounts';
import type { Actions, PageServerLoad } from './$types';

/** Only an address on this site may be returned to. */
const onThisSite = (to: string | null) => (to && /^\/(?![/\\])/.test(to) ? to : '/');

export const load: PageServerLoad = ({ locals, url }) => {
	if (locals.account) redirect(303, onThisSite(url.searchParams.get('to')));
};

export const actions: Actions = {
	default: async ({ request, cookies, url, locals, setHeaders }) => {
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
			read.values.email,
			read.values.password,
			locals.address,
			request.headers.get('user-agent')
		);
		if (!r.ok && r.wait) setHeaders({ 'retry-after': String(r.wait) });
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
