/** Checks what comes in from outside, once, at the door; inside it is trusted. */
import * as yup from 'yup';
import { isTree } from '../core/feel/tree-check';
import { ENTRY_POINTS, FIELD_STATES, MOMENTS, type Rule } from '../core/model/rules';
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

const optionIds = () => yup.array().strict().max(2000).of(text(60));
/** A part of a message: plain text or a formula. */
const part = () =>
	yup
		.mixed()
		.test('part', '${path} must be a text or a formula', (v) =>
			typeof v === 'string' ? v.length <= 2000 : formula().isValidSync(v)
		);

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
					message: yup.array().strict().required().min(0).max(100).of(part()),
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
		default:
			return yup
				.object({
					kind: yup
						.string()
						.required()
						.oneOf(['options', 'bands', 'formula', 'check', 'state', 'allowed']),
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
						none: yup.string().required().oneOf(['next', 'leave', 'clear'])
					})
					.noUnknown()
			),
		body,
		off: yup.boolean()
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
/** A trial. @throws {BadInput} naming the place */
export const checkTrial = (v: unknown) => check<Trial>(trial, v);

/** What a form or the API submits. @throws {BadInput} naming the place */
export const checkSubmission = (v: unknown) =>
	check<{ sent: [string, unknown][]; version?: number }>(
		yup.object({ sent: pairs.required(), version: yup.number().integer() }),
		v
	);

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
