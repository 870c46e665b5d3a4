/** Checks what comes in from outside, once, at the door; inside it is trusted. */
import * as yup from 'yup';
import { FIELD_TYPES, type Definition, type ReferenceTable } from '../../core/model/model';
import { ENTRY_POINTS, MATCH_HOWS, MOMENTS, type Rule } from '../../core/model/rules';
import { MAX_COLUMNS, MAX_ROWS } from '../../core/tables/reference';
import type { Need } from '../../core/settle/settle';
import type { Trial } from '../../core/trials/trials';
import { IDENTITY } from '../db/model';
import { body } from './bodies';
import { formula, id, json, list, only, text, word } from './parts';

const rule = only({
	id: id(),
	type: yup.string().required().matches(IDENTITY),
	kind: word(['default', 'derive', 'categorize', 'map', 'validate']),
	name: text(200),
	why: text(1000),
	moments: yup.array().strict().required().of(yup.string().oneOf(MOMENTS).required()),
	entryPoints: yup
		.array()
		.strict()
		.of(yup.string().oneOf(ENTRY_POINTS).required())
		.nullable()
		.defined(),
	watch: yup.array().strict().of(yup.string().required()).nullable().defined(),
	entering: yup.boolean().strict().required(),
	guard: yup.lazy((v) => (v === null ? yup.mixed().nullable() : formula())),
	outputs: list(
		only({
			id: id(),
			field: text(60),
			hold: word(['locked', 'follow', 'fill', 'once']),
			closed: yup.boolean(),
			adds: yup.boolean(),
			none: word(['next', 'leave', 'clear'])
		}),
		50
	),
	body,
	each: yup.string().strict().max(60),
	submittedOnly: yup.boolean(),
	refuses: yup.boolean(),
	off: yup.boolean()
});

const holds = {
	type: word(FIELD_TYPES),
	list: yup.string().strict().max(60),
	target: yup.string().strict().max(60)
};

const definition = only({
	id: id(),
	name: text(100).matches(/\S/, 'A definition needs a name'),
	why: text(1000),
	type: yup.string().matches(IDENTITY).nullable().defined(),
	params: list(only({ name: text(60).matches(/\S/), ...holds }), 20),
	result: only(holds).nullable().defined(),
	body: formula()
});

const tableHead = only({
	id: id(),
	label: text(100).matches(/\S/, 'A table needs a name'),
	why: text(1000),
	columns: list(
		only({
			id: id(),
			label: text(100).matches(/\S/, 'A column needs a name'),
			...holds,
			currency: yup.string().strict().max(3),
			places: yup.number().strict().integer().min(0).max(20)
		}),
		MAX_COLUMNS
	),
	keys: list(
		yup.lazy((k: { match?: string }) =>
			k?.match === 'range'
				? only({ match: yup.string().required(), from: text(60), to: text(60) })
				: only({
						match: word(['exact', 'loose', 'prefix', 'range']),
						column: text(60)
					})
		),
		20
	)
});

const pairs = yup
	.mixed()
	.test(
		'sent',
		'${path} must be a list of [field, value]',
		(v) =>
			Array.isArray(v) &&
			v.length <= 500 &&
			v.every((p) => Array.isArray(p) && p.length === 2 && typeof p[0] === 'string')
	);
const values = yup
	.mixed()
	.nullable()
	.test(
		'was',
		'${path} must be null or values by field',
		(v) => v === null || (typeof v === 'object' && !Array.isArray(v))
	);

const trial = only({
	id: id(),
	name: text(300),
	type: yup.string().required().matches(IDENTITY),
	was: values,
	sent: pairs,
	entryPoint: word(ENTRY_POINTS),
	at: text(40),
	person: yup.string().strict().nullable(),
	record: yup.string().strict().max(20),
	near: yup
		.array()
		.strict()
		.max(500)
		.of(only({ type: text(60), id: text(20), values: values.required() })),
	expect: yup
		.array()
		.strict()
		.required()
		.min(1, 'A trial expects something of at least one field')
		.max(200)
		.of(only({ field: text(60), value: json().nullable(), not: yup.boolean() }))
});

/** What was wrong with a body, in words that name the place. */
export class BadInput extends Error {}

function check<T>(schema: yup.Schema, v: unknown): T {
	try {
		return schema.validateSync(v, { strict: true, abortEarly: true }) as T;
	} catch (e) {
		if (e instanceof yup.ValidationError) throw new BadInput(`${e.message}.`);
		throw e;
	}
}

/** A rule document. @throws {BadInput} naming the place */
export const checkRule = (v: unknown) => check<Rule>(rule, v);
/** A definition. @throws {BadInput} naming the place */
export const checkDefinition = (v: unknown) => check<Definition>(definition, v);

/** A reference table. Its rows are walked by hand: there may be many. @throws {BadInput} naming the place */
export function checkTable(v: unknown): ReferenceTable {
	if (typeof v !== 'object' || v === null) throw new BadInput('The table must be an object.');
	const { rows, ...head } = v as { rows?: unknown };
	const table = check<Omit<ReferenceTable, 'rows'>>(tableHead, head);
	if (!Array.isArray(rows) || rows.length > MAX_ROWS)
		throw new BadInput(`rows must be a list of at most ${MAX_ROWS} rows.`);
	const bad = rows.findIndex(
		(r) =>
			!Array.isArray(r) ||
			r.length !== table.columns.length ||
			!r.every((c) => json().isValidSync(c))
	);
	if (bad >= 0)
		throw new BadInput(
			`rows[${bad}] must be a list of ${table.columns.length} values, one for each column.`
		);
	return { ...table, rows: rows as ReferenceTable['rows'] };
}

/** The version that an author saw. @throws {BadInput} */
export function checkVersion(v: unknown): number {
	if (!Number.isInteger(v)) throw new BadInput('version must be a whole number.');
	return v as number;
}
/** A trial. @throws {BadInput} naming the place */
export const checkTrial = (v: unknown) => check<Trial>(trial, v);

/** What a form or the API submits. @throws {BadInput} naming the place */
export const checkSubmission = (v: unknown) =>
	check<{ sent: [string, unknown][]; version?: number; release?: number }>(
		yup.object({
			sent: pairs.required(),
			version: yup.number().integer(),
			release: yup.number().integer().min(0)
		}),
		v
	);

const recordNumber = () =>
	yup
		.string()
		.strict()
		.required()
		.matches(/^\d{1,18}$/, '${path} must be a record number');

/** What a form has not at hand. @throws {BadInput} naming the place */
export const checkNeeds = (v: unknown) =>
	check<{ needs: Need[] }>(
		yup.object({
			needs: list(
				yup.lazy((n: { id?: unknown; match?: unknown }) =>
					(n && 'id' in n
						? yup.object({ type: text(60), id: recordNumber() })
						: n && 'match' in n
							? yup.object({
									type: text(60),
									match: list(
										only({
											field: text(60),
											how: word(MATCH_HOWS),
											key: text(4000)
										}),
										20,
										1
									)
								})
							: yup.object({ type: text(60), field: text(60), of: recordNumber() })
					).noUnknown()
				),
				200
			)
		}),
		v
	).needs;

/** Records whose titles are wanted. @throws {BadInput} naming the place */
export const checkTitles = (v: unknown) =>
	check<{ wanted: { type: string; id: string }[] }>(
		yup.object({
			wanted: list(only({ type: text(60), id: recordNumber() }), 500)
		}),
		v
	).wanted;

/** A claim order. @throws {BadInput} naming the place */
export const checkOrder = (v: unknown) =>
	check<{ field: string; claims: string[] }>(
		yup.object({
			field: yup
				.string()
				.strict()
				.required()
				.matches(/^[a-z0-9_]+\.[a-z0-9_]+$/),
			claims: list(yup.string().required().max(130), 500)
		}),
		v
	);

/** Reads JSON of a request, bounded in size and depth. @throws {BadInput} */
export async function readJson(request: Request, most = 2_000_000): Promise<unknown> {
	const text = await request.text();
	if (text.length > most)
		throw new BadInput(`The body may have ${most} characters; this one has ${text.length}.`);
	let depth = 0;
	let inText = false;
	for (let i = 0; i < text.length; i++) {
		const c = text[i];
		if (inText) {
			if (c === '\\') i++;
			else if (c === '"') inText = false;
		} else if (c === '"') inText = true;
		else if (c === '{' || c === '[') {
			if (++depth > 800) throw new BadInput('The body is nested more than 800 deep.');
		} else if (c === '}' || c === ']') depth--;
	}
	try {
		return JSON.parse(text);
	} catch {
		throw new BadInput('The body is no JSON.');
	}
}
