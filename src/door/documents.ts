/** Documents from outside: releases, bundles, files of changes. */
import * as yup from 'yup';
import type {
	Acceptance,
	Bundle,
	KnownRecord,
	EntryPoint,
	JsonValue,
	Model,
	RuleSet,
	Trial
} from '../core';
import { ENTRY_POINTS, FormatError, upgraded } from '../core';
import { BadInput, check } from './check';
import { modelFault } from './model';
import { json, list, only, text } from './parts';
import {
	acceptance,
	checkDefinition,
	checkOrder,
	checkRule,
	checkTable,
	checkTrial
} from './draft';

/** A release as it is exported: what it fixes, and the model it speaks of. */
export interface Release extends RuleSet {
	model: Model;
}

/** Does something at a place of a document: what is wrong there is told with the place. @throws {BadInput} */
export const at = <T>(place: string, work: () => T): T => {
	try {
		return work();
	} catch (e) {
		if (e instanceof BadInput) throw new BadInput(`${place}: ${e.message}`);
		throw e;
	}
};

/** A document that says what it is and in which format. @throws {BadInput} */
function documented(v: unknown, kind: 'release' | 'bundle'): Record<string, unknown> {
	const doc = (typeof v === 'object' && v !== null ? v : {}) as Record<string, unknown>;
	if (doc.format !== `rigid-rule/${kind}`)
		throw new BadInput(`format must be "rigid-rule/${kind}".`);
	try {
		return upgraded(kind, doc, doc.version as number);
	} catch (e) {
		if (e instanceof FormatError) throw new BadInput(`version: ${e.message}`);
		throw e;
	}
}

/** What a list of a document holds, each checked. @throws {BadInput} naming the place */
function eachIn<T>(doc: Record<string, unknown>, key: string, what: (x: unknown) => T): T[] {
	const all = doc[key] ?? [];
	if (!Array.isArray(all)) throw new BadInput(`${key} must be a list.`);
	return all.map((x, i) => at(`${key}[${i}]`, () => what(x)));
}

/** A rule set with the model it was made with, as documents hold them. @throws {BadInput} naming the place */
function releaseIn(doc: Record<string, unknown>): Release {
	const fault = modelFault(doc.model);
	if (fault) throw new BadInput(`model: ${fault}.`);
	if (doc.rules === undefined) throw new BadInput('rules is missing.');
	const rules = eachIn(doc, 'rules', checkRule);
	const definitions = eachIn(doc, 'definitions', checkDefinition);
	const tables = eachIn(doc, 'tables', checkTable);
	const accepted = eachIn(doc, 'accepted', (x) => check<Acceptance>(acceptance, x));
	const order = doc.order ?? {};
	if (typeof order !== 'object' || Array.isArray(order))
		throw new BadInput('order must be an object: field to claims.');
	for (const [field, claims] of Object.entries(order))
		at(`order[${field}]`, () => checkOrder({ field, claims }));
	return {
		rules,
		definitions,
		tables,
		...(accepted.length ? { accepted } : {}),
		order: order as RuleSet['order'],
		model: doc.model as Model
	};
}

/** A release document from outside. @throws {BadInput} naming the place */
export const checkRelease = (v: unknown): Release => releaseIn(documented(v, 'release'));

const known = only({
	type: text(60).required(),
	id: text(60).required(),
	title: text(1000),
	key: only({ field: text(60).required(), value: json().defined() })
		.nullable()
		.optional()
});

/** Most records that a bundle names, and most trials in it. */
export const MOST_KNOWN = 20_000;
const MOST_TRIALS = 20_000;

/** Records that are looked for by their keys. @throws {BadInput} naming the place */
export const checkSought = (v: unknown) =>
	check<{ sought: { type: string; field: string; value: JsonValue }[] }>(
		only({
			sought: list(only({ type: text(60), field: text(60), value: json().defined() }), MOST_KNOWN)
		}),
		v
	).sought;

/** A bundle from outside. @throws {BadInput} naming the place */
export function checkBundle(v: unknown): Bundle {
	const doc = documented(v, 'bundle');
	const { model, ...set } = releaseIn(doc);
	const head = check<Pick<Bundle, 'name' | 'of' | 'made'>>(
		only({ name: text(300).required(), of: text(300), made: text(60) }),
		{ name: doc.name, of: doc.of ?? '', made: doc.made ?? '' }
	);
	for (const [key, most] of [
		['trials', MOST_TRIALS],
		['records', MOST_KNOWN]
	] as const) {
		const of = doc[key];
		if (Array.isArray(of) && of.length > most) throw new BadInput(`${key} may be ${most} at most.`);
	}
	const trials = eachIn(doc, 'trials', checkTrial);
	const records = eachIn(doc, 'records', (x) => check<KnownRecord>(known, x));
	const twice = (all: readonly { id: string }[], what: string) => {
		const seen = new Set<string>();
		for (const { id } of all) {
			if (seen.has(id)) throw new BadInput(`${what}: two have the identity “${id}”.`);
			seen.add(id);
		}
	};
	twice(set.rules, 'rules');
	twice(set.definitions ?? [], 'definitions');
	twice(set.tables ?? [], 'tables');
	twice(trials, 'trials');
	return { ...head, model, set, trials, records };
}

/** The rules of a bundle or of a release, with trials where there are any. @throws {BadInput} naming the place */
export function checkVersionFile(v: unknown): {
	model: Model;
	set: RuleSet;
	trials: readonly Trial[] | null;
} {
	if ((v as { format?: unknown } | null)?.format === 'rigid-rule/bundle') return checkBundle(v);
	const { model, ...set } = checkRelease(v);
	return { model, set, trials: null };
}

const change = only({
	type: text(60).required(),
	was: yup.mixed().nullable(),
	sent: yup.mixed().required(),
	keep: yup.array().strict().of(yup.string().strict().required().max(60)),
	entryPoint: yup.string().oneOf(ENTRY_POINTS),
	at: yup.string().strict().max(60),
	person: yup.string().strict().nullable().max(60),
	onRequest: yup.boolean().strict(),
	near: yup
		.array()
		.strict()
		.max(10_000)
		.of(
			only({ type: text(60).required(), id: text(60).required(), values: yup.mixed().required() })
		)
});

/** A change of one record, as a file says it. */
export interface ChangeDocument {
	type: string;
	was?: Record<string, JsonValue> | null;
	sent: Record<string, JsonValue>;
	keep?: string[];
	entryPoint?: EntryPoint;
	at?: string;
	person?: string | null;
	onRequest?: boolean;
	near?: Trial['near'];
}

/** Values by field. @throws {BadInput} */
function checkValues(v: unknown, place: string) {
	if (typeof v !== 'object' || v === null || Array.isArray(v))
		throw new BadInput(`${place} must be an object: field to value.`);
	for (const [field, value] of Object.entries(v))
		if (!json().isValidSync(value))
			throw new BadInput(
				`${place}.${field} must be a text, yes/no, null or a list of texts; numbers are texts.`
			);
}

/** A change of one record from a file. @throws {BadInput} naming the place */
export function checkChange(v: unknown): ChangeDocument {
	const c = check<ChangeDocument>(change.required('The change must be an object'), v);
	checkValues(c.sent, 'sent');
	if (c.was) checkValues(c.was, 'was');
	c.near?.forEach((r, i) => checkValues(r.values, `near[${i}].values`));
	return c;
}
