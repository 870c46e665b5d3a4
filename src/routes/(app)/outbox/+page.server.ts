import { db } from '$server/db/pool';
import { allow } from '$server/http/guard';
import { readOutbox } from '$server/db/outbox';
import type { PageServerLoad } from './$types';

const SIZE = 50;

export const load: PageServerLoad = async (event) => {
	const account = allow(event);
	const q = event.url.searchParams;
	const status = (['waiting', 'sent', 'failed'] as const).find((s) => s === q.get('status'));
	const page = Math.max(0, Math.floor(Number(q.get('page')) || 0));
	const box = await readOutbox(db(), account.workspace, { status, page, size: SIZE + 1 });
	return {
		...box,
		entries: box.entries.slice(0, SIZE),
		more: box.entries.length > SIZE,
		status,
		page
	};
};
