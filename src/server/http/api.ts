/** What the API takes, and how it answers. */
import { json } from '@sveltejs/kit';
import type pg from 'pg';
import type { SaveOutcome, Submission } from '../records';
import { RefusedChange, saveInOrder } from '../records';
import { BadInput, readJson } from '../../door';
import { claimAnswer, keepAnswer, type KeptAnswer, type RequestKey } from '../db/kept-answers';
import { hashOf } from '../db/rules';
import type { Account } from '../people/accounts';
import { refusedBody, senderOf } from './guard';

/** Most records of one batch. */
export const MAX_BATCH = 1_000;

type Doc = Record<string, unknown>;
const isDoc = (x: unknown): x is Doc => typeof x === 'object' && x !== null && !Array.isArray(x);

interface ApiBody {
	sent: [string, unknown][];
	keep: string[];
	version?: number;
}

/** Reads `{"values": {…}, "keep": […], "version": 1}`. @throws {BadInput} naming the place */
export async function readApiBody(request: Request): Promise<ApiBody> {
	const body = await readJson(request);
	if (!isDoc(body)) throw new BadInput('The body must be an object with “values”.');
	return apiBody(body, '');
}

function apiBody({ values, keep = [], version, ...rest }: Doc, at: string): ApiBody {
	const odd = Object.keys(rest)[0];
	if (odd)
		throw new BadInput(`${at}“${odd}” is not known here; there are values, keep and version.`);
	if (!isDoc(values)) throw new BadInput(`${at}values must be an object: field to value.`);
	if (!Array.isArray(keep) || !keep.every((k) => typeof k === 'string'))
		throw new BadInput(`${at}keep must be a list of fields.`);
	if (version !== undefined && !Number.isInteger(version))
		throw new BadInput(`${at}version must be a whole number.`);
	return {
		sent: Object.entries(values),
		keep,
		...(version === undefined ? {} : { version: version as number })
	};
}

/**
 * Reads `{"allOrNothing": true, "records": [{"type": …, "id": …, "values": {…}}, …]}`.
 * @throws {BadInput} naming the place
 */
export async function readBatch(
	request: Request
): Promise<{ allOrNothing: boolean; submissions: Submission[] }> {
	const body = await readJson(request);
	if (!isDoc(body)) throw new BadInput('The body must be an object with “records”.');
	const { records, allOrNothing, ...rest } = body;
	const odd = Object.keys(rest)[0];
	if (odd) throw new BadInput(`“${odd}” is not known here; there are records and allOrNothing.`);
	if (typeof allOrNothing !== 'boolean')
		throw new BadInput(
			'allOrNothing must be true (one change of all records) or false (each for itself).'
		);
	if (!Array.isArray(records) || !records.length)
		throw new BadInput('records must be a list of at least one record.');
	if (records.length > MAX_BATCH)
		throw new BadInput(`A batch may have ${MAX_BATCH} records; this one has ${records.length}.`);
	const places = new Map<string, number>();
	const submissions = records.map((r: unknown, i): Submission => {
		const at = `records[${i}]: `;
		if (!isDoc(r)) throw new BadInput(`${at}this must be an object.`);
		const { type, id = null, ...more } = r;
		if (typeof type !== 'string') throw new BadInput(`${at}type must name a record type.`);
		if (id !== null && (typeof id !== 'string' || !/^\d{1,18}$/.test(id)))
			throw new BadInput(`${at}id must be the number of a record, as text.`);
		const key = `${type} ${id}`;
		const had = id === null ? undefined : places.get(key);
		if (had !== undefined && allOrNothing)
			throw new BadInput(
				`${at}this is the record of records[${had}]. Send what changes in it once.`
			);
		places.set(key, i);
		return { type, id, ...apiBody(more, at) };
	});
	return { allOrNothing, submissions };
}

/** What became of one record of a batch: of one change the outcome, of singles each with its status. */
export type BatchResult =
	| SaveOutcome
	| { status: number; outcome: SaveOutcome }
	| { status: number; message: string; faults: RefusedChange['faults'] };

/** What is answered. */
interface Answer {
	status: number;
	body: unknown;
}
type Outcomes = readonly (SaveOutcome[] | RefusedChange)[];

const refusal = (e: RefusedChange, status: number = e.status): Answer => ({
	status,
	body: refusedBody(e)
});

/** Of one record that was created or changed. */
export const answerOne =
	(created: boolean, conflict = 409) =>
	([o]: Outcomes): Answer => {
		if (o instanceof RefusedChange) return refusal(o, o.status === 409 ? conflict : o.status);
		return { status: created ? 201 : 200, body: o[0] };
	};

/** Of a batch that is one change. */
export const answerTogether = ([o]: Outcomes): Answer =>
	o instanceof RefusedChange ? refusal(o) : { status: 200, body: { results: o } };

/** Of a batch of single changes. */
export const answerEach =
	(all: readonly Submission[]) =>
	(outcomes: Outcomes): Answer => ({
		status: 200,
		body: {
			results: outcomes.map((o, i) =>
				o instanceof RefusedChange
					? { status: o.status, message: o.message, faults: o.faults }
					: { status: all[i].id === null ? 201 : 200, outcome: o[0] }
			)
		}
	});

/** It was answered before; thrown out of the transaction in which that was found. */
class AnsweredBefore extends Error {
	constructor(readonly answer: KeptAnswer) {
		super('answered before');
	}
}

/** The key of a request, from `Idempotency-Key`. @throws {BadInput} */
function keyOf(request: Request): string | null {
	const key = request.headers.get('idempotency-key');
	// a string of structured fields (RFC 8941) may stand in quotation marks
	const text = key?.replace(/^"(.*)"$/, '$1') ?? null;
	if (text !== null && !/^[\x21-\x7e]{1,200}$/.test(text))
		throw new BadInput('Idempotency-Key is 1 to 200 signs of ASCII without spaces.');
	return text;
}

/**
 * Carries out changes that came by the API. A request that has an `Idempotency-Key` is carried out once: its
 * answer is kept a day in the transaction of the change, and given again to the same request; one that
 * comes while the first is at it waits for it. The same key with another request is answered 422.
 * @throws {BadInput} when the key is none
 */
export async function carryOut(
	event: { request: Request; url: URL },
	account: Account,
	changes: readonly (readonly Submission[])[],
	format: (outcomes: Outcomes) => Answer
): Promise<Response> {
	const sender = senderOf(account, 'api');
	const respond = ({ status, body }: Answer, again = false) => {
		const { version } = body as { version?: number };
		return json(body, {
			status,
			headers: {
				...(version === undefined ? {} : { etag: `"${version}"` }),
				...(again ? { 'idempotent-replayed': 'true' } : {})
			}
		});
	};
	const key = keyOf(event.request);
	if (key === null) return respond(format(await saveInOrder(sender, changes)));
	const route = `${event.request.method} ${event.url.pathname}`;
	const k: RequestKey = { account: account.id, route, key, hash: hashOf([route, changes]) };
	try {
		const around = {
			async before(client: pg.PoolClient) {
				const had = await claimAnswer(client, k);
				if (had) throw new AnsweredBefore(had);
			},
			after: (client: pg.PoolClient, outcomes: Outcomes) => keepAnswer(client, k, format(outcomes))
		};
		return respond(format(await saveInOrder({ ...sender, around }, changes)));
	} catch (e) {
		if (!(e instanceof AnsweredBefore)) throw e;
		if (e.answer.hash !== k.hash)
			return json(
				{ message: 'This Idempotency-Key was sent before with another request. Send a new one.' },
				{ status: 422 }
			);
		return respond(e.answer, true);
	}
}

/**
 * The version that a request wants to find, from `If-Match`.
 * @throws {BadInput} when it is none, or another than the body says
 */
export function ifMatch(request: Request, version: number | undefined): number | undefined {
	const header = request.headers.get('if-match');
	if (header === null || header.trim() === '*') return version;
	const found = /^"(\d{1,9})"$/.exec(header.trim())?.[1];
	if (!found) throw new BadInput('If-Match is the ETag of the record, such as "3", or *.');
	if (version !== undefined && version !== Number(found))
		throw new BadInput('If-Match and version say different versions.');
	return Number(found);
}
