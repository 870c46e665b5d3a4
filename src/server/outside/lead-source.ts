/**
 * The stand-in for a source of leads: a web form, say, whose enquiries come through the API. What it posts is made of
 * values that records have, one from here and one from there, so that rules find what they find in life; now and then
 * one comes twice, and now and then one says what nobody can take.
 */
import type { JsonValue, Plan } from '../../core';
import { toJson } from '../../core';
import { BadInput } from '../../door';
import { may } from '../../door/rights';
import { note } from '../audit/audit';
import {
	endSource,
	notePosted,
	sourcesOver,
	startSource,
	takePosts,
	type ToPost
} from '../db/lead-source';
import { listAccounts, revokeTokenOf } from '../db/people';
import { db, transaction, type Db } from '../db/pool';
import { sampleRecords } from '../db/records';
import { createToken, digest, type Account } from '../people/accounts';
import { inForce } from '../records';
import { ownAddress } from './own-address';

/** How long it waits for an answer, milliseconds. */
const LIMIT = 10_000;
/** The most that it posts in one round. */
const MOST = 10;
/** Every so many of them come twice, and every so many hold what no option list has. */
const TWICE = 7;
const WRONG = 11;
/** Records whose values it mixes. */
const MIXED = 400;

/**
 * Has it post for a while, as a service that may create records of a type and do nothing else.
 * @throws {BadInput} when the service cannot
 */
export async function start(
	by: Account,
	asked: { of: string; type: string; every: number; minutes: number }
): Promise<void> {
	const service = (await listAccounts(db(), by.workspace)).find(
		(a) => a.id === asked.of && a.service && !a.retired
	);
	if (!service) throw new BadInput('There is no such service any more.');
	if (!may(service.role, 'change'))
		throw new BadInput(`${service.name} is ${service.role}, and may not create records.`);
	const { schema } = await inForce(db(), by.workspace);
	if (!schema.types.has(asked.type)) throw new BadInput('There is no such record type any more.');
	const day = new Date(Date.now() + 24 * 3_600_000).toISOString().slice(0, 10);
	const token = await createToken(by, service, {
		name: 'Stand-in lead source',
		role: service.role,
		ends: day,
		types: [asked.type]
	});
	await transaction(async (client) => {
		// of two who start it at once the second counts
		await end(client, by.workspace);
		await startSource(client, by.workspace, { ...asked, account: service.id, token });
		await note(client, by, 'started the lead source', schema.type(asked.type).type.plural, {
			service: service.name,
			every: asked.every,
			minutes: asked.minutes
		});
	});
}

/** Ends its work: its token opens nothing any more. @returns whether it was at work */
async function end(client: Db, workspace: string): Promise<boolean> {
	const token = await endSource(client, workspace);
	if (token !== null) await revokeTokenOf(client, digest(token));
	return token !== null;
}

/** Stops it; what is under way is answered. */
export async function stop(by: Account): Promise<void> {
	await transaction(async (client) => {
		if (await end(client, by.workspace)) await note(client, by, 'stopped the lead source');
	});
}

/** Of each field the values that records have; those that rules write are left to the rules, as are links. */
async function valuesAtHand(
	plan: Plan,
	workspace: string,
	type: string
): Promise<Record<string, JsonValue>[]> {
	const { schema } = plan;
	const written = new Set(
		plan.nodes.filter((n) => n.type === type && n.claims.length).map((n) => n.field.id)
	);
	const { fields } = schema.type(type).type;
	const own = fields
		.map((f, i) => ({ f, i }))
		.filter(({ f }) => f.type !== 'link' && !written.has(f.id) && !f.key);
	const records = await sampleRecords(db(), schema, workspace, type, MIXED, []);
	return records.map((r) =>
		Object.fromEntries(
			own.flatMap(({ f, i }) => (r.values[i] === null ? [] : [[f.id, toJson(r.values[i])]]))
		)
	);
}

/** What one enquiry says. @param n its number: the same says what is wrong with it */
export function enquiry(
	at: readonly Record<string, JsonValue>[],
	choices: readonly string[],
	n: number,
	chance: () => number = Math.random
): Record<string, JsonValue> {
	const pick = () => at[Math.floor(chance() * at.length)] ?? {};
	// mostly what one record says, so that name and address fit together
	const values = { ...pick() };
	const other = pick();
	for (const field of choices) if (field in other && chance() < 0.5) values[field] = other[field];
	const wrong = choices[n % Math.max(1, choices.length)];
	if (wrong && n % WRONG === WRONG - 1) values[wrong] = 'By pigeon';
	return values;
}

/** One request, as anybody outside would send it. */
async function send(p: ToPost, key: string, values: Record<string, JsonValue>): Promise<void> {
	const from = performance.now();
	const answered = await fetch(
		new URL(`/api/v1/records/${encodeURIComponent(p.type)}`, ownAddress()),
		{
			method: 'POST',
			headers: {
				authorization: `Bearer ${p.token}`,
				'content-type': 'application/json',
				'idempotency-key': key
			},
			body: JSON.stringify({ values }),
			signal: AbortSignal.timeout(LIMIT)
		}
	).then(
		async (r) => ({
			status: r.status,
			answer: (await r.json().catch(() => ({}))) as Record<string, JsonValue>,
			replayed: r.headers.get('idempotent-replayed') === 'true'
		}),
		(e: Error) => ({ status: null, answer: { message: e.message }, replayed: false })
	);
	const took = Math.round(performance.now() - from);
	await notePosted(db(), p.workspace, { key, type: p.type, sent: values, ...answered, took });
}

/** Posts what is due, and ends what is over. */
export async function postDue(): Promise<void> {
	for (const workspace of await sourcesOver(db()))
		await transaction((client) => end(client, workspace));
	for (const p of await takePosts(db(), MOST)) {
		const { plan, schema } = await inForce(db(), p.workspace);
		if (!schema.types.has(p.type)) continue;
		const at = await valuesAtHand(plan, p.workspace, p.type);
		const choices = schema
			.type(p.type)
			.type.fields.filter((f) => f.type === 'choice' && at.some((v) => f.id in v))
			.map((f) => f.id);
		for (let i = 0; i < p.count; i++) {
			const n = p.first + i;
			const values = enquiry(at, choices, n);
			await send(p, `enquiry-${n}`, values);
			if (n % TWICE === TWICE - 1) await send(p, `enquiry-${n}`, values);
		}
	}
}
