import { lastEdit } from '$server/db/living';
import { hear, type Notice } from '$server/db/notices';
import { db } from '$server/db/pool';
import { revisionOf } from '$server/draft/revision';
import { allow } from '$server/http/guard';
import { accountOfSession } from '$server/people/accounts';
import type { RequestHandler } from './$types';

/** How often a stream says that it is alive, and is looked at whether it still may be. Milliseconds. */
const BEAT_MS = 20_000;

/** What others do in the draft, as server-sent events; the first tells which revision stands. */
export const GET: RequestHandler = async (event) => {
	const account = allow(event);
	const { workspace } = account;
	const { session } = event.locals;
	const encoder = new TextEncoder();
	let end = () => undefined as void;
	const stream = new ReadableStream<Uint8Array>({
		async start(controller) {
			const say = (text: string) => controller.enqueue(encoder.encode(text));
			const tell = ({ workspace: _, ...notice }: Notice) =>
				say(`data: ${JSON.stringify(notice)}\n\n`);
			const tellRevision = async () => {
				const revision = await revisionOf(db(), workspace);
				tell({ kind: 'changed', workspace, revision, account: '', name: '' });
				const { number } = await lastEdit(db(), workspace);
				tell({ kind: 'rows', workspace, number });
			};
			const { deaf, listening } = hear((n) => {
				if (n.kind === 'missed') tellRevision().catch(() => end());
				else if (n.workspace === workspace) tell(n);
			});
			const beat = setInterval(async () => {
				say(': alive\n\n');
				// a session that was ended hears nothing more
				const still = await accountOfSession(db(), session!).catch(() => account);
				if (!still) end();
			}, BEAT_MS);
			end = () => {
				end = () => undefined;
				clearInterval(beat);
				deaf();
				process.off('rigid:ending', ended);
				try {
					controller.close();
				} catch {
					// whoever listened has gone first
				}
			};
			const ended = () => end();
			process.once('rigid:ending', ended);
			say(': here\n\n');
			// read once nothing more can be missed
			await listening;
			await tellRevision();
		},
		cancel: () => end()
	});
	return new Response(stream, {
		headers: { 'content-type': 'text/event-stream', 'x-accel-buffering': 'no' }
	});
};
