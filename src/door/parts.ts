/** What documents are made of: the small schemas that the door puts together. */
import * as yup from 'yup';
import { LocalDate, isKeptName } from '../core';
import { isTree } from '../core/feel/language';

/** One of some words. */
export const word = <T extends string>(words: readonly T[]) => yup.string().required().oneOf(words);
export const flag = () => yup.boolean().strict().required();
/** A list of things, `most` of them at the most. */
export const list = <T extends yup.ISchema<unknown>>(of: T, most: number, least = 0) =>
	yup.array().strict().required().min(least).max(most).of(of);
/** An object with these keys and no others; one that is not there is in order only where `.optional()` says so. */
export const only = <T extends yup.ObjectShape>(shape: T) =>
	yup.object(shape).noUnknown().required();

export const id = () =>
	yup
		.string()
		.strict()
		.required()
		.matches(/^[a-z0-9_-]{1,60}$/i, '${path} may hold letters, digits, _ and -')
		.test(
			'kept name',
			'${path} is a name that every object has; take another',
			(v) => !isKeptName(v)
		);
/** A calendar day, as `2026-11-24`. */
export const day = () =>
	yup
		.string()
		.strict()
		.required()
		.test('day', '${path} must be a day, as 2026-11-24', (v) => LocalDate.parse(v ?? '') !== null);
export const text = (max: number) => yup.string().strict().defined().max(max);

export const json = () =>
	yup
		.mixed()
		.nullable()
		.test('json', '${path} must be a text, yes/no, null or a list of texts', (v) => {
			if (v === null || v === undefined || typeof v === 'boolean') return true;
			if (typeof v === 'string') return v.length <= 4000;
			return Array.isArray(v) && v.length <= 1000 && v.every((x) => typeof x === 'string');
		});
export const jsons = () => yup.array().strict().max(50).of(json());

export const formula = () =>
	yup.mixed().test('formula', '${path} must be a formula: {"text": …} or {"expr": …}', (v) => {
		if (typeof v !== 'object' || v === null) return false;
		if ('expr' in v) return isTree(v.expr);
		return 'text' in v && typeof v.text === 'string' && v.text.length <= 20_000;
	});

/** @param unsaid may be left out as well */
export const formulaOrNull = (unsaid = false) =>
	yup
		.mixed()
		.nullable()
		.test(
			'formula',
			'${path} must be null or a formula: {"text": …} or {"expr": …}',
			(v) => v === null || (unsaid && v === undefined) || formula().isValidSync(v)
		);

/** The tests of a cell: trees of the tests, or their text. */
export const cell = () =>
	yup.mixed().test('cell', '${path} must be a cell: {"text": …} or {"tests": …}', (v) => {
		if (typeof v !== 'object' || v === null) return false;
		if ('tests' in v) return isTree({ k: 'in', x: { k: 'null' }, tests: v.tests });
		return 'text' in v && typeof v.text === 'string' && v.text.length <= 2_000;
	});

export const optionIds = () => yup.array().strict().max(2000).of(text(60));
/** A part of a message: plain text or a formula. */
const part = () =>
	yup
		.mixed()
		.test('part', '${path} must be a text or a formula', (v) =>
			typeof v === 'string' ? v.length <= 2000 : formula().isValidSync(v)
		);

export const template = () => yup.array().strict().defined().max(100).of(part());

/** @param unsaid may be left out as well */
export const blank = (unsaid = false) =>
	yup
		.mixed()
		.nullable()
		.test('blank', '${path} must be null, {"none": true} or {"give": […]}', (v) => {
			if (v === null || (unsaid && v === undefined)) return true;
			if (typeof v !== 'object') return false;
			return 'none' in v! || ('give' in v! && jsons().isValidSync(v.give));
		});

/** Most records that are named one by one. */
export const MOST_TICKED = 1_000;
/** Most that a file names for a bulk change. */
export const MOST_CHOSEN = 20_000;

/** Records, each by its number. */
export const ticked = (most = MOST_TICKED) =>
	yup
		.array()
		.strict()
		.min(1)
		.max(most)
		.of(
			yup
				.string()
				.strict()
				.required()
				.matches(/^\d{1,18}$/, '${path} must be the number of a record')
		);

/** Whether a value is an object of some kind. */
export const isObject = (x: unknown): x is object => typeof x === 'object' && x !== null;
