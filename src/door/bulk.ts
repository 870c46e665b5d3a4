/** What is to be done to many records at once: to which, what, and what is spared. */
import * as yup from 'yup';
import type { Formula, JsonValue } from '../core';
import { check } from './check';
import { checkList, type ListAsked } from './lists';
import { MOST_CHOSEN, flag, formulaOrNull, json, only, text, ticked, word } from './parts';

/** Most records of one bulk change: what they become is held in memory for those behind them. */
export const MOST_BULK = 100_000;

/** Records: those of a list, all or so many of them from its beginning, or some by number. */
export type BulkWhich = { list: ListAsked; first?: number } | { ids: readonly string[] };

export type BulkDoes =
	/** A field gets a value. */
	| { k: 'set'; field: string; value: JsonValue }
	/** A field gets what a formula gives for each record; where that is nothing it stays. */
	| { k: 'calc'; field: string; formula: Formula }
	/** Standing rules count as triggered. */
	| { k: 'rules'; fillBlanks: boolean }
	/** The standing rules of one field alone. */
	| { k: 'line'; field: string }
	/** A field gets what rules would have given it by what happened to the record. */
	| { k: 'history'; field: string };

export interface BulkAsked {
	type: string;
	which: BulkWhich;
	does: BulkDoes;
	/** Values that people set stay. */
	spare: boolean;
	/** Messages that rules send leave. */
	messages: boolean;
}

const which = () =>
	only({
		list: yup.mixed().optional(),
		first: yup.number().strict().integer().min(1).max(MOST_BULK).optional(),
		ids: ticked(MOST_CHOSEN).optional()
	}).test(
		'which',
		'${path} must have either a list, or the first of one, or ids',
		(v) =>
			(v?.list === undefined) !== (v?.ids === undefined) &&
			(v?.first === undefined || v.list !== undefined)
	);

const does = () =>
	only({
		k: word(['set', 'calc', 'rules', 'line', 'history']),
		field: text(60).optional(),
		value: json().optional(),
		formula: formulaOrNull(true),
		fillBlanks: flag().optional()
	}).test(
		'does',
		'${path} must say a field and a value (null for blank), a field and a formula, fillBlanks, or a field that comes into line or is filled from history',
		(v) => {
			const { k, field, value, formula: f, fillBlanks } = v as Record<string, unknown>;
			if (k === 'rules') return field === undefined && value === undefined && f === undefined;
			if (!field || fillBlanks !== undefined) return false;
			if (k === 'line' || k === 'history') return value === undefined && f === undefined;
			return k === 'set' ? f === undefined && value !== undefined : !!f && value === undefined;
		}
	);

/** A bulk change that is asked for. @throws {BadInput} naming the place */
export function checkBulk(v: unknown): BulkAsked {
	const asked = check<{
		type: string;
		which: { list?: unknown; first?: number; ids?: string[] };
		does: {
			k: BulkDoes['k'];
			field?: string;
			value?: JsonValue;
			formula?: Formula;
			fillBlanks?: boolean;
		};
		spare: boolean;
		messages: boolean;
	}>(
		only({
			type: text(60),
			which: which(),
			does: does(),
			spare: flag(),
			messages: flag()
		}),
		v
	);
	const { ids, list, first } = asked.which;
	const { k, field = '', value = null, formula: f, fillBlanks = false } = asked.does;
	return {
		...asked,
		which: ids ? { ids } : { list: checkList(list), ...(first === undefined ? {} : { first }) },
		does:
			k === 'rules'
				? { k, fillBlanks }
				: k === 'line' || k === 'history'
					? { k, field }
					: k === 'set'
						? { k, field, value }
						: { k, field, formula: f! }
	};
}

/** How a bulk change goes on. @throws {BadInput} naming the place */
export const checkBulkStep = (v: unknown) =>
	check<{ step: 'look' | 'begin' | 'back' }>(only({ step: word(['look', 'begin', 'back']) }), v);
