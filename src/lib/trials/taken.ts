/** A record that is stored, taken into a trial with the linked records that rules read of it. */
import { Gathered, settle, submissionOf, valuesFromJson, valuesToJson } from '$core';
import type { JsonValue, Need, Plan, Settled, Trial } from '$core';
import { zones } from '../../runtime/zones';
import { ask } from '../work/http';
import type { NearAnswer } from '../work/near.svelte';

/** Most linked records that a trial keeps. */
const MOST = 100;

export interface Taken extends Pick<Trial, 'was' | 'record' | 'added' | 'near'> {
	title: string;
	/** Titles of the records that it links to, by `type.id`. */
	links: Record<string, string>;
	/** More linked records than a trial keeps are read. */
	cut: boolean;
}

interface SampleAnswer {
	id: string;
	title: string;
	values: Record<string, JsonValue>;
	links: Record<string, string>;
	added: Record<string, string[]>;
}

/**
 * Takes a record as it is stored: with what its links point to, and all that the standing rules of a plan read.
 * What a change reads besides is pending in the trial, which says so.
 * @throws {Refused} when there is no such record, or the server cannot be reached
 */
export async function takeRecord(plan: Plan, type: string, id: string): Promise<Taken> {
	const { schema } = plan;
	const x = await ask<SampleAnswer>(`/look/samples?type=${type}&id=${id}`);
	const near = await linked(
		plan,
		(loader, instant) => {
			const record = submissionOf(schema, {
				type,
				was: x.values,
				sent: [],
				record: x.id,
				added: x.added
			});
			return settle(
				plan,
				{
					records: [{ ...record, inLine: false }],
					entryPoint: 'bulk',
					instant,
					person: null,
					onRequest: true
				},
				loader,
				{ zones, alone: true }
			);
		},
		schema.type(type).type.fields.flatMap((f): Need[] => {
			const to = x.values[f.id];
			return f.type === 'link' && f.target && typeof to === 'string'
				? [{ type: f.target, id: to }]
				: [];
		})
	);
	return {
		was: x.values,
		record: x.id,
		...(Object.keys(x.added).length ? { added: x.added } : {}),
		near: near.slice(0, MOST),
		title: x.title,
		links: x.links,
		cut: near.length > MOST
	};
}

/** One record by itself, for a trial that reads it. @throws {Refused} when the server cannot be reached */
export const takeLinked = (plan: Plan, need: { type: string; id: string }) =>
	linked(plan, null, [need]);

/** The records that are wanted, and those that a settling reads, as a trial keeps them. */
async function linked(
	plan: Plan,
	run: ((loader: Gathered['loader'], instant: number) => Settled) | null,
	wanted: readonly Need[]
): Promise<NonNullable<Trial['near']>> {
	const { schema } = plan;
	const gathered = new Gathered(() => schema);
	const fetch = async (needs: readonly Need[]) => {
		const { records, related, found } = await ask<NearAnswer>('/look/near', {
			method: 'POST',
			body: { needs }
		});
		return {
			records: records.map((r) => ({
				...r,
				values: r.values && valuesFromJson(schema, r.type, r.values)
			})),
			related,
			found
		};
	};
	const instant = Date.now();
	let settled: Settled | null = null;
	await gathered.fill(fetch, (loader) => [
		...wanted.filter((n) => !gathered.has(n)),
		...(run ? (settled = run(loader, instant)).needs : [])
	]);
	const read: { type: string; id: string }[] = settled
		? [...(settled as Settled).read, ...(settled as Settled).found]
		: [];
	const all = new Map(
		[...wanted.flatMap((n) => ('id' in n ? [n] : [])), ...read].map((r) => [`${r.type}.${r.id}`, r])
	);
	return [...all.values()].flatMap(({ type, id }) => {
		const values = gathered.loader.record(type, id);
		return values ? [{ type, id, values: valuesToJson(schema, type, values) }] : [];
	});
}
