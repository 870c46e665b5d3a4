/** What the API takes. */
import type { Submission } from '../records';
import { RefusedChange, save, saveInOrder, type SaveOutcome, type Sender } from '../records';
import { BadInput, readJson } from '../../door';

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

/** What became of one record of a batch that was sent each for itself. */
export type BatchResult =
	| { status: number; outcome: SaveOutcome }
	| { status: number; message: string; faults: RefusedChange['faults'] };

/** Saves a batch as one change. @throws {RefusedChange} with the place of the record that refuses */
export async function saveTogether(sender: Sender, all: readonly Submission[]) {
	return { results: await save(sender, all) };
}

/** Saves the records of a batch one after the other; one that is refused harms no other. */
export async function saveEach(
	sender: Sender,
	all: readonly Submission[]
): Promise<{ results: BatchResult[] }> {
	const outcomes = await saveInOrder(
		sender,
		all.map((s) => [s])
	);
	return {
		results: outcomes.map((o, i): BatchResult => {
			if (o instanceof RefusedChange)
				return { status: o.status, message: o.message, faults: o.faults };
			return { status: all[i].id === null ? 201 : 200, outcome: o[0] };
		})
	};
}
