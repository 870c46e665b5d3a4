import { fail, redirect } from '@sveltejs/kit';
import { readForm, type FormFaults } from '$door/forms';
import { setSession } from '$server/http/session-cookie';
import { SESSION_HOURS, TooManyAtOnce, signIn, type SignIn } from '$server/people/accounts';
import { db } from '$server/db/pool';
import { hasPeople, theWorkspace } from '$server/db/workspace';
import type { Actions, PageServerLoad } from './$types';

/** Only an address on this site may be returned to, as a browser would read it. */
function onThisSite(to: string | null): string {
	const here = 'http://here.invalid';
	if (!to?.startsWith('/') || !URL.canParse(to, here)) return '/';
	const { origin, pathname, search, hash } = new URL(to, here);
	// `//x` within a path that was made shorter would be another site once more
	return origin === here && !pathname.startsWith('//') ? pathname + search + hash : '/';
}

export const load: PageServerLoad = async ({ locals, url }) => {
	if (locals.account) redirect(303, onThisSite(url.searchParams.get('to')));
	const workspace = await theWorkspace(db());
	return { demo: workspace?.demo ?? false, nobody: !(await hasPeople(db())) };
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
		let r: SignIn;
		try {
			const { email, password } = read.values;
			r = await signIn(email, password, locals.address, request.headers.get('user-agent'));
		} catch (e) {
			if (!(e instanceof TooManyAtOnce)) throw e;
			setHeaders({ 'retry-after': '5' });
			return fail(503, {
				message: e.message,
				faults: { password: e.message } as FormFaults,
				email
			});
		}
		if (!r.ok && r.wait) setHeaders({ 'retry-after': String(r.wait) });
		if (!r.ok)
			return fail(r.wait ? 429 : 400, {
				message: r.message,
				faults: { password: r.message } as FormFaults,
				email
			});
		setSession(cookies, url, r.token, SESSION_HOURS * 3600);
		redirect(303, onThisSite(url.searchParams.get('to')));
	}
};
