/**
 * The stand-in receiver of webhooks: what any receiver should do. It believes nothing that is not signed, takes each
 * event once, and notes in which order they came. How it answers can be set, to see what becomes of events then.
 */
import { setTimeout } from 'node:timers/promises';
import { Webhook, WebhookVerificationError } from 'standardwebhooks';
import { standInHook } from '../db/hooks';
import { db } from '../db/pool';
import { keepReceived, readStandIns } from '../db/stand-ins';

/** Longer than whoever tells it waits, milliseconds. */
const SLOW = 12_000;
/** Characters of an event, at most. */
const MOST = 1_000_000;

/** What it answers. */
export interface ReceiverAnswer {
	status: number;
	headers?: Record<string, string>;
	body: string;
}

/** What it reads of an event; null where that is no event of a record. */
function read(body: unknown): { type: string; record: string; version: number } | null {
	const { data } = (body ?? {}) as { data?: Record<string, unknown> };
	const { type, id, version } = data ?? {};
	if (typeof type !== 'string' || typeof id !== 'string' || !Number.isInteger(version)) return null;
	if (!/^[\w-]{1,40}$/.test(type) || !/^\d{1,18}$/.test(id)) return null;
	return { type, record: id, version: version as number };
}

/** Takes what came to the receiver of a hook. */
export async function receive(
	hook: string,
	request: Request,
	slow = SLOW
): Promise<ReceiverAnswer> {
	const known = /^\d{1,18}$/.test(hook) ? await standInHook(db(), hook) : null;
	if (!known) return { status: 404, body: 'Nothing is received here.' };
	const { headers } = request;
	// before it is read at all, as far as it says how long it is
	const long = { status: 413, body: 'That is no event: it is too long.' };
	if (Number(headers.get('content-length') ?? 0) > MOST) return long;
	const body = await request.text();
	if (body.length > MOST) return long;
	const { receiver } = await readStandIns(db(), known.workspace);
	if (receiver === 'away')
		return { status: 503, headers: { 'retry-after': '5' }, body: 'The receiver is away.' };
	if (known.secret === null)
		return { status: 503, body: 'The secret of this webhook cannot be read here.' };
	const id = headers.get('webhook-id') ?? '';
	let event: ReturnType<typeof read>;
	try {
		event = read(new Webhook(known.secret).verify(body, Object.fromEntries(headers)));
	} catch (e) {
		if (!(e instanceof WebhookVerificationError) && !(e instanceof SyntaxError)) throw e;
		return { status: 401, body: `Not taken: ${e.message}.` };
	}
	if (!event || id.length > 200) return { status: 400, body: 'That is no event of a record.' };
	if (receiver === 'refuses') return { status: 422, body: 'The receiver refuses what it gets.' };
	const first = await keepReceived(db(), hook, { event: id, ...event });
	// taken, but nobody hears of it in time
	if (receiver === 'slow') await setTimeout(slow);
	return { status: 200, body: first ? 'Taken.' : 'Taken before.' };
}
