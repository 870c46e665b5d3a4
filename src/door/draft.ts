/** Parts of a draft and of the model, and edits of them. */
import * as yup from 'yup';
import type { Definition, Model, Piece, ReferenceTable, Rule, Trial } from '../core';
import {
	ENTRY_POINTS,
	FIELD_TYPES,
	MAX_COLUMNS,
	MAX_ROWS,
	MISSING_KEYS,
	MOMENTS,
	isIdentity,
	isKeptName
} from '../core';
import { body } from './bodies';
import { BadInput, check } from './check';
import { modelFault, modelShapeFault } from './model';
import { flag, formula, id, isObject, json, jsons, list, only, text, word } from './parts';

/** The identity of a record type. */
const identity = () =>
	yup
		.string()
		.strict()
		.test(
			'identity',
			'${path} must be the identity of a record type',
			(v) => v == null || isIdentity(v)
		);

const rule = only({
	id: id(),
	type: identity().required(),
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
	type: identity().nullable().defined(),
	params: list(only({ name: text(60).matches(/\S/), ...holds }), 20),
	result: only(holds).nullable().defined(),
	body: formula()
});

const tableHead = only({
	id: id(),
	label: text(100).matches(/\S/, 'A table needs a name'),
	why: text(1000),
	missing: word(MISSING_KEYS).optional(),
	living: yup.boolean().strict().oneOf([true], '${path} must be true or left out').optional(),
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

/** Fields with what is sent for each, in an order. */
export const pairs = yup
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

/** What a trial expects: known by what it names. */
const expectation = yup.lazy((x: unknown) => {
	const has = (key: string) => isObject(x) && key in x;
	const field = text(60);
	if (has('value'))
		return only({
			field,
			value: json(),
			not: yup.boolean(),
			at: only({ type: text(60).required(), id: text(20).required() }).optional()
		});
	if (has('stays')) return only({ field, stays: yup.boolean().required().oneOf([true]) });
	if (has('rule')) return only({ rule: id(), writes: flag() });
	if (has('refused'))
		return only({ refused: flag(), field: field.optional(), text: text(1000).optional() });
	if (has('advised')) return only({ field, advised: flag(), text: text(1000).optional() });
	if (has('state'))
		return only({ field, state: word(['required', 'hidden', 'read-only']), is: flag() });
	if (has('option')) return only({ field, option: text(60).required(), offered: flag() });
	if (has('messages'))
		return only({
			messages: yup.number().strict().required().integer().min(0).max(10_000),
			to: text(320).optional(),
			subject: text(1000).optional()
		});
	return yup
		.mixed()
		.test(
			'expectation',
			'${path} must name what it expects: value, stays, rule, refused, advised, state, option or messages',
			() => false
		);
});
/** At most so many, of a change and of each row. */
const expectations = list(expectation, 200);

const trialStep = {
	sent: pairs.required(),
	entryPoint: word(ENTRY_POINTS),
	at: text(40),
	person: yup.string().strict().nullable(),
	expect: expectations
};

const trial = only({
	id: id(),
	name: text(300),
	group: text(100).optional(),
	type: identity().required(),
	was: values,
	...trialStep,
	then: yup.array().strict().max(50).of(only(trialStep)),
	rows: yup
		.array()
		.strict()
		.max(500)
		.of(only({ sent: pairs.required(), expect: expectations })),
	record: yup.string().strict().max(20),
	added: yup
		.mixed()
		.test(
			'added',
			'${path} must be an object: claim to the options it added',
			(v) =>
				v === undefined ||
				(typeof v === 'object' &&
					v !== null &&
					!Array.isArray(v) &&
					Object.entries(v).every(
						([claim, options]) =>
							claim.length <= 200 &&
							!isKeptName(claim) &&
							Array.isArray(options) &&
							options.length <= 1000 &&
							options.every((o) => typeof o === 'string' && o.length <= 60)
					))
		),
	near: yup
		.array()
		.strict()
		.max(500)
		.of(only({ type: text(60), id: text(20), values: values.required() })),
	finds: yup
		.array()
		.strict()
		.max(500)
		.of(
			only({
				table: text(60).required(),
				keys: jsons().required(),
				rows: yup.array().strict().max(20).of(values.required()).required()
			})
		)
}).test('expects', 'A trial expects something of at least one change', (t) => {
	const { expect, then = [], rows = [] } = t as unknown as Trial;
	// what is no list is told by itself, after this
	if (!Array.isArray(then) || !Array.isArray(rows)) return true;
	return [{ expect }, ...then, ...rows].some((s) => s?.expect?.length);
});

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

/**
 * A trial that is to be kept, with the one that its author had before them: null where there was none, nothing where they do not
 * say. That is only compared, so it is taken as it is. @throws {BadInput} naming the place
 */
export function checkKeptTrial(v: unknown): { trial: Trial; had?: unknown } {
	if (!isObject(v) || !('trial' in v)) throw new BadInput('trial is missing.');
	const { trial, had } = v as { trial: unknown; had?: unknown };
	return { trial: checkTrial(trial), ...(had === undefined ? {} : { had }) };
}

/** A trial as whoever removes it saw it, which is only compared. @throws {BadInput} */
export function checkTrialSeen(v: unknown): unknown {
	if (!isObject(v) || !('had' in v)) throw new BadInput('had is missing.');
	return v.had;
}

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

/** Most pieces of one edit, and most keys on the way to one. */
const MOST_PIECES = 20_000;
const LONGEST_PATH = 12;

/** The pieces of an edit of the draft; what they put in is checked where it comes to stand. @throws {BadInput} */
export const checkPieces = (v: unknown): Piece[] =>
	piecesIn(v, ['rules', 'definitions', 'tables', 'order'], 'the draft');

/** The pieces of an edit of the model. @throws {BadInput} */
export const checkModelPieces = (v: unknown): Piece[] =>
	piecesIn(v, ['types', 'lists'], 'the model');

function piecesIn(v: unknown, roots: readonly string[], of: string): Piece[] {
	if (!Array.isArray(v) || v.length > MOST_PIECES)
		throw new BadInput(`pieces must be a list of at most ${MOST_PIECES}.`);
	return v.map((p: unknown, i) => {
		const { path, before, after, behind, ...rest } = (
			typeof p === 'object' && p !== null ? p : {}
		) as Partial<Piece>;
		const keys =
			Array.isArray(path) &&
			path.length >= 2 &&
			path.length <= LONGEST_PATH &&
			path.every((k) => typeof k === 'string' && k.length <= 130 && !isKeptName(k)) &&
			roots.includes(path[0]);
		if (!keys) throw new BadInput(`pieces[${i}].path must lead to a part of ${of}.`);
		if (behind !== undefined && behind !== null && typeof behind !== 'string')
			throw new BadInput(`pieces[${i}].behind must be an identity or null.`);
		const [more] = Object.keys(rest);
		if (more) throw new BadInput(`pieces[${i}].${more} is not known.`);
		return {
			path,
			...(before === undefined ? {} : { before }),
			...(after === undefined ? {} : { after }),
			...(behind === undefined ? {} : { behind })
		};
	});
}

/** A finding that is accepted, as documents hold it. */
export const acceptance = only({
	id: text(300).required(),
	rests: yup.string().strict().required().length(64),
	times: yup.number().strict().integer().min(0),
	reason: text(1000).required(),
	by: text(200).required(),
	at: text(60).required()
});
const accepting = {
	finding: text(300).required('finding must name a finding'),
	reason: yup
		.string()
		.strict()
		.required('Write why it is taken as it is')
		.trim('Write why it is taken as it is')
		.max(1000)
};

/** Which finding is accepted and why, or taken back. @throws {BadInput} */
export function checkAcceptance(v: unknown, back = false): { finding: string; reason?: string } {
	return check(back ? only({ finding: accepting.finding }) : only(accepting), v);
}

/** A model after an edit: of the right shape, with all that it names. @throws {BadInput} */
export function checkModel(v: unknown, whole: boolean): Model {
	const fault = whole ? modelFault(v) : modelShapeFault(v);
	if (fault) throw new BadInput(`The model: ${fault}.`);
	return v as Model;
}

/** How many values the sender has seen that will be lost. @throws {BadInput} */
export function checkLost(v: unknown): number {
	if (v === undefined) return 0;
	if (typeof v !== 'number' || !Number.isInteger(v) || v < 0)
		throw new BadInput('lost is how many values you saw that will be lost.');
	return v;
}

/** The revision of the draft that the sender looked at. @throws {BadInput} */
export function checkRevision(v: unknown): number {
	if (typeof v !== 'number' || !Number.isInteger(v) || v < 0 || v > 2 ** 31)
		throw new BadInput('revision must be the revision of the draft that you looked at.');
	return v;
}

/** In which part of the draft an open page works. @throws {BadInput} */
export function checkHere(v: unknown): { page: string; at: string | null } {
	const { page, at } = (v ?? {}) as { page?: unknown; at?: unknown };
	if (typeof page !== 'string' || !/^[\w-]{1,40}$/.test(page))
		throw new BadInput('page must be the identity of an open page.');
	if (
		at !== null &&
		(typeof at !== 'string' || !/^(rules|definitions|tables)\.[\w-]{1,80}$/.test(at))
	)
		throw new BadInput('at must be a rule, definition or table, such as rules.r_1, or null.');
	return { page, at };
}
