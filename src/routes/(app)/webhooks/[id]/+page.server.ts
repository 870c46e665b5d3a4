import { error, redirect } from '@sveltejs/kit';
import { BadInput } from '$door/check';
import { readShown } from '$door/shown';
import { readModel } from '$server/db/model';
import { EVENT_STATUS, listEvents, listHooks } from '$server/db/hooks';
import { db, transaction } from '$server/db/pool';
import { countReceived, readStandIns, receivedOf, storeStandIns } from '$server/db/stand-ins';
import { note } from '$server/audit/audit';
import { formAction, refuse } from '$server/http/forms';
import { allow } from '$server/http/guard';
import { hookAsked, toldAtInput } from '$server/outside/asked';
import { changeHook, leaveOut, newSecretOf, removeHook, tellAgain } from '$server/outside/hooks';
import { eventId } from '$server/outside/told';
import { inForce } from '$server/records';
import { titlesOfLines } from '$server/records/view';
import type { Actions, PageServerLoad } from './$types';

const SIZE = 50;

export const load: PageServerLoad = async (event) => {
	const { workspace } = allow(event);
	event.depends('app:outside');
	const hook = (await listHooks(db(), workspace)).find((h) => h.id === event.params.id);
	if (!hook) error(404, 'There is no such webhook any more.');
	const q = event.url.searchParams;
	const status = EVENT_STATUS.find((s) => s === q.get('status'));
	const before = /^\d{1,18}$/.exec(q.get('before') ?? '')?.[0];
	const found = await listEvents(db(), hook.id, { status, before, size: SIZE + 1 });
	const events = found.slice(0, SIZE);
	const got = hook.address === null ? await receivedOf(db(), hook.id, events.map(eventId)) : [];
	const { schema } = await inForce(db(), workspace);
	const titles = await titlesOfLines(
		workspace,
		schema,
		events.map(({ type, record }) => ({ type, record, field: null, was: null, now: null }))
	);
	const by = new Map(got.map((r) => [r.event, r]));
	return {
		hook,
		events: events.map((e) => ({ ...e, received: by.get(eventId(e)) ?? null })),
		titles,
		more: found.length > SIZE,
		status,
		before: before ?? null,
		receiver:
			hook.address === null
				? {
						...(await countReceived(db(), hook.id)),
						answers: (await readStandIns(db(), workspace)).receiver
					}
				: null
	};
};

/** The event that every action of this page gets. */
type On = Parameters<NonNullable<Actions[string]>>[0];

/** What is not so any more is told. */
async function told<T>(work: () => Promise<T>): Promise<T> {
	try {
		return await toldAtInput(work);
	} catch (e) {
		if (e instanceof BadInput) refuse('id', e.message);
		throw e;
	}
}

const ANSWERS = {
	takes: 'The receiver takes what it gets.',
	away: 'The receiver is away: it answers 503, and what happens waits.',
	refuses: 'The receiver refuses what it gets: it answers 422.',
	slow: 'The receiver takes what it gets, but answers too late.'
} as const;

export const actions = {
	change: formAction('hookChange', async (v, event: On) => {
		const by = allow(event);
		const { model } = await readModel(db(), by.workspace);
		const asked = { ...hookAsked(v, model), state: v.state };
		await told(() => changeHook(by, event.params.id, asked, readShown(v.shown)));
	}),
	secret: formAction('plain', async (_, event: On) => ({
		secret: await told(() => newSecretOf(allow(event), event.params.id))
	})),
	again: formAction('event', async (v, event: On) => {
		const n = await told(() => tellAgain(allow(event), event.params.id, v.id || null));
		if (v.id) return { done: n ? 'It is sent again.' : 'There is no such event any more.' };
		return {
			done: n
				? `${n} ${n === 1 ? 'event is' : 'events are'} sent again.`
				: 'There is none that did not arrive.'
		};
	}),
	skip: formAction('event', async (v, event: On) => {
		await told(() => leaveOut(allow(event), event.params.id, v.id || '0'));
		return { done: 'It is left out; those of its record after it go on.' };
	}),
	answers: formAction('standIns', async (v, event: On) => {
		const by = allow(event);
		const receiver = v.receiver ?? 'takes';
		await transaction(async (c) => {
			const was = await readStandIns(c, by.workspace);
			await storeStandIns(c, by.workspace, { ...was, receiver });
			await note(c, by, 'said how a stand-in answers', 'Receiver', { now: receiver });
		});
		return { done: ANSWERS[receiver] };
	}),
	remove: formAction('plain', async (_, event: On) => {
		await told(() => removeHook(allow(event), event.params.id));
		redirect(303, '/webhooks');
	})
} satisfies Actions;
