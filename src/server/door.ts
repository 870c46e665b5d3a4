/** Checks what comes in from outside, once, at the door; inside it is trusted. */
import * as yup from 'yup';
import { isTree } from '../core/feel/tree-check';
import { FIELD_TYPES, type Definition, type ReferenceTable } from '../core/model/model';
import {
	ENTRY_POINTS,
	FIELD_STATES,
	HIT_POLICIES,
	MATCH_HOWS,
	MOMENTS,
	ONCE_PER,
	type Rule
} from '../core/model/rules';
import { MAX_DECISION_INPUTS, MAX_DECISION_ROWS } from '../core/tables/decision';
import { MAX_COLUMNS, MAX_ROWS } from '../core/tables/reference';
import type { Need } from '../core/settle/settle';
import type { Trial } from '../core/trials/trials';
import { IDENTITY } from './db/model';

const id = () =>
	yup
		.string()
		.strict()
		.required()
		.matches(/^[a-z0-9_-]{1,60}$/i, '${path} may hold letters, digits, _ and -');
const text = (max: number) => yup.string().strict().defined().max(max);

const json = () =>
	yup.mixed().test('json', '${path} must be a text, yes/no, null or a list of texts', (v) => {
		if (v === null || v === undefined || typeof v === 'boolean') return true;
		if (typeof v === 'string') return v.length <= 4000;
		return Array.isArray(v) && v.length <= 1000 && v.every((x) => typeof x === 'string');
	});
const jsons = () => yup.array().strict().max(50).of(json().nullable());

const formula = () =>
	yup.mixed().test('formula', '${path} must be a formula: {"text": …} or {"expr": …}', (v) => {
		if (typeof v !== 'object' || v === null) return false;
		if ('expr' in v) return isTree(v.expr);
		return 'text' in v && typeof v.text === 'string' && v.text.length <= 20_000;
	});

const formulaOrNull = () =>
	yup
		.mixed()
		.nullable()
		.test(
			'formula',
			'${path} must be null or a formula: {"text": …} or {"expr": …}',
			(v) => v === null || formula().isValidSync(v)
		);

/** The tests of a cell: trees of the tests, or their text. */
const cell = () =>
	yup.mixed().test('cell', '${path} must be a cell: {"text": …} or {"tests": …}', (v) => {
		if (typeof v !== 'object' || v === null) return false;
		if ('tests' in v) return isTree({ k: 'in', x: { k: 'null' }, tests: v.tests });
		return 'text' in v && typeof v.text === 'string' && v.text.length <= 2_000;
	});

const optionIds = () => yup.array().strict().max(2000).of(text(60));
/** A part of a message: plain text or a formula. */
const part = () =>
	yup
		.mixed()
		.test('part', '${path} must be a text or a formula', (v) =>
			typeof v === 'string' ? v.length <= 2000 : formula().isValidSync(v)
		);

const template = () => yup.array().strict().defined().max(100).of(part());

const blank = () =>
	yup
		.mixed()
		.nullable()
		.test('blank', '${path} must be null, {"none": true} or {"give": […]}', (v) => {
			if (v === null) return true;
			if (typeof v !== 'object') return false;
			return 'none' in v! || ('give' in v! && jsons().isValidSync(v.give));
		});

const body = yup.lazy((v: { kind?: string }) => {
	switch (v?.kind) {
		case 'formula':
			return yup
				.object({
					kind: yup.string().required(),
					formulas: yup.array().strict().required().max(50).of(formula())
				})
				.noUnknown();
		case 'bands':
			return yup
				.object({
					kind: yup.string().required(),
					input: formula(),
					limits: yup
						.array()
						.strict()
						.required()
						.max(500)
						.of(
							yup
								.object({
									at: text(60),
									belongs: yup.string().oneOf(['above', 'below']).required()
								})
								.noUnknown()
						),
					results: yup.array().strict().required().max(501).of(jsons().nullable()),
					blank: blank()
				})
				.noUnknown();
		case 'check':
			return yup
				.object({
					kind: yup.string().required(),
					holds: formula(),
					message: template(),
					blocking: yup.boolean().strict().required(),
					always: yup.boolean().strict().required()
				})
				.noUnknown();
		case 'state':
			return yup
				.object({
					kind: yup.string().required(),
					state: yup.string().required().oneOf(FIELD_STATES),
					options: optionIds().required(),
					always: yup.boolean().strict().required()
				})
				.noUnknown();
		case 'compose':
			return yup
				.object({
					kind: yup.string().required(),
					texts: yup.array().strict().required().max(50).of(template()),
					blanks: yup
						.mixed()
						.test(
							'blanks',
							'${path} must be "no result", "leave out" or {"write": …}',
							(b) =>
								b === 'no result' ||
								b === 'leave out' ||
								(typeof b === 'object' &&
									b !== null &&
									'write' in b &&
									typeof b.write === 'string' &&
									b.write.length <= 200)
						)
				})
				.noUnknown();
		case 'split':
			return yup
				.object({
					kind: yup.string().required(),
					input: formula(),
					at: yup.string().required().oneOf(['first', 'last', 'each']),
					separator: text(20),
					alone: yup.number().strict().integer().required().min(0).max(49)
				})
				.noUnknown();
		case 'table':
			return yup
				.object({
					kind: yup.string().required(),
					hit: yup.string().required().oneOf(HIT_POLICIES),
					inputs: yup.array().strict().required().min(0).max(MAX_DECISION_INPUTS).of(formula()),
					rows: yup
						.array()
						.strict()
						.required()
						.min(0)
						.max(MAX_DECISION_ROWS)
						.of(
							yup
								.object({
									id: id(),
									when: yup.array().strict().required().min(0).max(MAX_DECISION_INPUTS).of(cell()),
									then: yup.array().strict().required().min(0).max(50).of(formulaOrNull()),
									note: yup.string().strict().max(1000)
								})
								.noUnknown()
						),
					priority: yup.array().strict().max(50).of(jsons().nullable())
				})
				.noUnknown();
		case 'lookup':
			return yup
				.object({
					kind: yup.string().required(),
					table: text(60),
					keys: yup.array().strict().required().min(0).max(20).of(formula()),
					columns: yup.array().strict().required().min(0).max(50).of(text(60)),
					several: yup.string().required().oneOf(['no result', 'first'])
				})
				.noUnknown();
		case 'match':
			return yup
				.object({
					kind: yup.string().required(),
					type: text(60),
					on: yup
						.array()
						.strict()
						.required()
						.min(0)
						.max(20)
						.of(
							yup
								.object({
									field: text(60),
									how: yup.string().required().oneOf(MATCH_HOWS),
									value: formula()
								})
								.noUnknown()
						),
					several: yup.string().required().oneOf(['no result', 'leave', 'clear', 'first'])
				})
				.noUnknown();
		case 'message':
			return yup
				.object({
					kind: yup.string().required(),
					each: yup
						.object({ type: text(60), field: text(60) })
						.noUnknown()
						.nullable()
						.defined(),
					filter: formulaOrNull(),
					to: formula(),
					subject: template(),
					text: template(),
					once: yup.string().required().oneOf(ONCE_PER)
				})
				.noUnknown();
		case 'allowed':
			return yup
				.object({
					kind: yup.string().required(),
					input: text(60),
					rows: yup.lazy((rows: object) =>
						yup
							.object(
								Object.fromEntries(
									Object.keys(rows ?? {})
										.slice(0, 2000)
										.map((k) => [k, optionIds().required()])
								)
							)
							.required()
					)
				})
				.noUnknown();
		case 'options':
			return yup
				.object({
					kind: yup.string().required(),
					input: text(60),
					rows: yup.lazy((rows: object) =>
						yup
							.object(
								Object.fromEntries(
									Object.keys(rows ?? {})
										.slice(0, 2000)
										.map((k) => [k, jsons().required()])
								)
							)
							.required()
					),
					blank: blank()
				})
				.noUnknown();
		default:
			return yup.object({
				kind: yup
					.string()
					.required()
					.oneOf([
						'options',
						'bands',
						'formula',
						'compose',
						'split',
						'table',
						'lookup',
						'match',
						'message',
						'check',
						'state',
						'allowed'
					])
			});
	}
});

const rule = yup
	.object({
		id: id(),
		type: yup.string().required().matches(IDENTITY),
		kind: yup.string().required().oneOf(['default', 'derive', 'categorize', 'map', 'validate']),
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
		outputs: yup
			.array()
			.strict()
			.required()
			.max(50)
			.of(
				yup
					.object({
						id: id(),
						field: text(60),
						hold: yup.string().required().oneOf(['locked', 'follow', 'fill', 'once']),
						closed: yup.boolean(),
						adds: yup.boolean(),
						none: yup.string().required().oneOf(['next', 'leave', 'clear'])
					})
					.noUnknown()
			),
		body,
		each: yup.string().strict().max(60),
		submittedOnly: yup.boolean(),
		refuses: yup.boolean(),
		off: yup.boolean()
	})
	.noUnknown();

const holds = {
	type: yup.string().required().oneOf(FIELD_TYPES),
	list: yup.string().strict().max(60),
	target: yup.string().strict().max(60)
};

const definition = yup
	.object({
		id: id(),
		name: text(100).matches(/\S/, 'A definition needs a name'),
		why: text(1000),
		type: yup.string().matches(IDENTITY).nullable().defined(),
		params: yup
			.array()
			.strict()
			.required()
			.min(0)
			.max(20)
			.of(yup.object({ name: text(60).matches(/\S/), ...holds }).noUnknown()),
		result: yup.object(holds).noUnknown().nullable().defined(),
		body: formula()
	})
	.noUnknown();

const tableHead = yup
	.object({
		id: id(),
		label: text(100).matches(/\S/, 'A table needs a name'),
		why: text(1000),
		columns: yup
			.array()
			.strict()
			.required()
			.min(0)
			.max(MAX_COLUMNS)
			.of(
				yup
					.object({
						id: id(),
						label: text(100).matches(/\S/, 'A column needs a name'),
						...holds,
						currency: yup.string().strict().max(3),
						places: yup.number().strict().integer().min(0).max(20)
					})
					.noUnknown()
			),
		keys: yup
			.array()
			.strict()
			.required()
			.min(0)
			.max(20)
			.of(
				yup.lazy((k: { match?: string }) =>
					k?.match === 'range'
						? yup
								.object({ match: yup.string().required(), from: text(60), to: text(60) })
								.noUnknown()
						: yup
								.object({
									match: yup.string().required().oneOf(['exact', 'loose', 'prefix', 'range']),
									column: text(60)
								})
								.noUnknown()
				)
			)
	})
	.noUnknown();

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

const trial = yup
	.object({
		id: id(),
		name: text(300),
		type: yup.string().required().matches(IDENTITY),
		was: values,
		sent: pairs,
		entryPoint: yup.string().required().oneOf(ENTRY_POINTS),
		at: text(40),
		person: yup.string().strict().nullable(),
		record: yup.string().strict().max(20),
		near: yup
			.array()
			.strict()
			.max(500)
			.of(yup.object({ type: text(60), id: text(20), values: values.required() }).noUnknown()),
		expect: yup
			.array()
			.strict()
			.required()
			.min(1, 'A trial expects something of at least one field')
			.max(200)
			.of(yup.object({ field: text(60), value: json().nullable(), not: yup.boolean() }).noUnknown())
	})
	.noUnknown();

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
			needs: yup
				.array()
				.strict()
				.required()
				.max(200)
				.of(
					yup.lazy((n: { id?: unknown; match?: unknown }) =>
						(n && 'id' in n
							? yup.object({ type: text(60), id: recordNumber() })
							: n && 'match' in n
								? yup.object({
										type: text(60),
										match: yup
											.array()
											.strict()
											.required()
											.min(1)
											.max(20)
											.of(
												yup
													.object({
														field: text(60),
														how: yup.string().required().oneOf(MATCH_HOWS),
														key: text(4000)
													})
													.noUnknown()
											)
									})
								: yup.object({ type: text(60), field: text(60), of: recordNumber() })
						).noUnknown()
					)
				)
		}),
		v
	).needs;

/** Records whose titles are wanted. @throws {BadInput} naming the place */
export const checkTitles = (v: unknown) =>
	check<{ wanted: { type: string; id: string }[] }>(
		yup.object({
			wanted: yup
				.array()
				.strict()
				.required()
				.max(500)
				.of(yup.object({ type: text(60), id: recordNumber() }).noUnknown())
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
			claims: yup.array().strict().required().max(500).of(yup.string().required().max(130))
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
