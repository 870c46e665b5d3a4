import { MESSAGE_STATUS, readOutbox } from '$server/db/outbox';
import { db, transaction } from '$server/db/pool';
import { countMailbox, readStandIns, storeStandIns } from '$server/db/stand-ins';
import { note } from '$server/audit/audit';
import { formAction, refuse } from '$server/http/forms';
import { allow } from '$server/http/guard';
import { again } from '$server/outside/outbox';
import type { Actions, PageServerLoad } from './$types';

const SIZE = 50;

export const load: PageServerLoad = async (event) => {
	const account = allow(event);
	event.depends('app:outside');
	const q = event.url.searchParams;
	const status = MESSAGE_STATUS.find((s) => s === q.get('status'));
	const page = Math.max(0, Math.floor(Number(q.get('page')) || 0));
	const box = await readOutbox(db(), account.workspace, { status, page, size: SIZE + 1 });
	return {
		...box,
		entries: box.entries.slice(0, SIZE),
		more: box.entries.length > SIZE,
		status,
		page,
		mailbox: await countMailbox(db()),
		answers: (await readStandIns(db(), account.workspace)).mailbox
	};
};

/** The event that every action of this page gets. */
type On = Parameters<NonNullable<Actions[string]>>[0];

export const actions = {
	again: formAction('message', async (v, event: On) => {
		if (!(await again(allow(event), v.id)))
			refuse('id', 'There is no such message any more, or its text is forgotten.');
		return { done: 'It is handed over again within a second or two.' };
	}),
	answers: formAction('standIns', async (v, event: On) => {
		const by = allow(event);
		await transaction(async (c) => {
			const was = await readStandIns(c, by.workspace);
			const now = { ...was, mailbox: v.mailbox ?? was.mailbox };
			await storeStandIns(c, by.workspace, now);
			await note(c, by, 'said how a stand-in answers', 'Mail system', { now: now.mailbox });
		});
		return {
			done:
				v.mailbox === 'away'
					? 'The mail system is away: messages wait until it is back.'
					: 'The mail system takes messages.'
		};
	})
} satisfies Actions;
