/** Checks what comes in from outside, once, at the door; inside it is trusted. */
import * as yup from 'yup';
import { MOST_REASON, MOST_REMARK, REMARKED, reasons, type Reasons } from './gate';
import { ROLES, type Role } from './rights';
import type {
	Formula,
	Acceptance,
	Bundle,
	KnownRecord,
	Definition,
	EntryPoint,
	JsonValue,
	Model,
	Need,
	Piece,
	ReferenceTable,
	Rule,
	RuleSet,
	Trial
} from '../core';
import {
	ENTRY_POINTS,
	FIELD_TYPES,
	FormatError,
	MATCH_HOWS,
	MAX_COLUMNS,
	MAX_ROWS,
	MISSING_KEYS,
	MOMENTS,
	isIdentity,
	isKeptName,
	isText,
	upgraded,
	withoutRows
} from '../core';
import { body } from './bodies';
import { BadInput, check } from './check';
import { modelFault, modelShapeFault } from './model';
import { day, flag, formula, id, json, jsons, list, only, text, word } from './parts';

export { BadInput } from './check';

const isObject = (x: unknown): x is object => typeof x === 'object' && x !== null;

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

/** What a form or the API submits. @throws {BadInput} naming the place */
export const checkSubmission = (v: unknown) =>
	check<{ sent: [string, unknown][]; version?: number; release?: number; living?: number }>(
		yup.object({
			sent: pairs.required(),
			version: yup.number().integer(),
			release: yup.number().integer().min(0),
			living: yup.number().integer().min(0)
		}),
		v
	);

const recordNumber = () =>
	yup
		.string()
		.strict()
		.required()
		.matches(/^\d{1,18}$/, '${path} must be a record number');

/** Most needs that one request names. */
export const MOST_NEEDS = 1_000;

/** What a form has not at hand. @throws {BadInput} naming the place */
export const checkNeeds = (v: unknown) =>
	check<{ needs: Need[] }>(
		yup.object({
			needs: list(
				yup.lazy((n: unknown) =>
					(isObject(n) && 'id' in n
						? yup.object({ type: text(60), id: recordNumber() })
						: isObject(n) && 'match' in n
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
				MOST_NEEDS
			)
		}),
		v
	).needs;

/** Most wanted values that somebody gives by example. */
export const MOST_EXAMPLES = 20;

/** A field for which rules are looked for, with wanted values by record. @throws {BadInput} naming the place */
export function checkSuggesting(v: unknown) {
	const { examples, ...field } = check<{
		type: string;
		field: string;
		examples: { record: string; value: JsonValue }[];
	}>(
		yup.object({
			type: text(60),
			field: text(60),
			examples: list(only({ record: recordNumber(), value: json() }), MOST_EXAMPLES)
		}),
		v
	);
	return {
		...field,
		examples: Object.fromEntries(examples.map((e) => [e.record, e.value ?? null]))
	};
}

const versionOf = () =>
	yup
		.mixed<number | 'draft'>()
		.test(
			'version',
			'${path} must be "draft" or the number of a release; 0 for no rules at all',
			(v) => v === undefined || v === 'draft' || (Number.isInteger(v) && (v as number) >= 0)
		);

/**
 * What is to be rehearsed: which version against which, one of them perhaps from a file, and on which records, or on the changes of which days; all
 * of it may be left out.
 * @returns with null in the place of the draft @throws {BadInput} naming the place
 */
export function checkRehearsal(v: unknown): {
	before?: number | null;
	after: number | null;
	selection: { type: string; condition: Formula } | null;
	period: { from: string; to: string } | null;
	file?: { name: string; as: 'before' | 'after'; set: RuleSet };
} {
	const { before, after, selection, period, file } = check<{
		before?: number | 'draft';
		after?: number | 'draft';
		selection?: { type: string; condition: Formula } | null;
		period?: { from: string; to: string } | null;
		file?: { name: string; as: 'before' | 'after'; document: unknown };
	}>(
		only({
			before: versionOf(),
			after: versionOf(),
			selection: only({ type: text(60), condition: formula().required() })
				.nullable()
				.optional(),
			period: only({ from: day(), to: day() }).nullable().optional(),
			file: only({
				name: text(200).required(),
				as: yup.string().strict().oneOf(['before', 'after']).required(),
				document: yup.mixed().required()
			}).optional()
		}),
		v ?? {}
	);
	if (selection && period)
		throw new BadInput('It is either some records or the changes of a period, not both.');
	const number = (x: number | 'draft') => (x === 'draft' ? null : x);
	return {
		...(before === undefined ? {} : { before: number(before) }),
		after: number(after ?? 'draft'),
		selection: selection ?? null,
		period: period ?? null,
		...(file
			? {
					file: {
						name: file.name,
						as: file.as,
						set: at('file.document', () => withoutLivingRows(checkVersionFile(file.document).set))
					}
				}
			: {})
	};
}

/** Rows that are edited in force are those here, whatever a file holds. */
const withoutLivingRows = (set: RuleSet): RuleSet =>
	set.tables ? { ...set, tables: set.tables.map(withoutRows) } : set;

/** Why something is released although. @throws {BadInput} naming the place */
export const checkReasons = (v: unknown): Reasons => check<Reasons>(reasons(), v ?? {});

/** Why one release is put in force although it is not as the gate has it; empty where nothing was said. @throws {BadInput} */
export const checkReason = (v: unknown): string =>
	check<{ reason?: string }>(
		only({ reason: yup.string().strict().max(MOST_REASON) }),
		v === undefined ? {} : { reason: v }
	).reason?.trim() ?? '';

/** A surprise that somebody looked at, or did not after all. @throws {BadInput} naming the place */
export const checkLooked = (v: unknown) =>
	check<{ key: string; looked: boolean }>(
		only({ key: text(300), looked: yup.boolean().strict().required() }),
		v
	);

/** What somebody says of a rule, a finding or a trial. @throws {BadInput} naming the place */
export const checkRemark = (v: unknown) =>
	check<{ kind: (typeof REMARKED)[number]; key: string; title: string; text: string }>(
		only({
			kind: word(REMARKED),
			key: text(300).min(1),
			title: text(300).min(1),
			text: text(MOST_REMARK).trim().min(1)
		}),
		v
	);

/** Whether a remark is settled. @throws {BadInput} naming the place */
export const checkSettled = (v: unknown) =>
	check<{ settled: boolean }>(only({ settled: flag() }), v);

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

/** Reads JSON of a request, bounded in size and depth. @throws {BadInput} */
export async function readJson(request: Request, most = 2_000_000): Promise<unknown> {
	return parseJson(await request.text(), 'The body', most);
}

/**
 * JSON from outside, bounded in size and depth.
 * @param what it is, for the message
 * @throws {BadInput}
 */
export function parseJson(text: string, what: string, most = 2_000_000): unknown {
	if (text.length > most)
		throw new BadInput(`${what} may have ${most} characters; this one has ${text.length}.`);
	let depth = 0;
	let inText = false;
	for (let i = 0; i < text.length; i++) {
		const c = text[i];
		if (inText) {
			if (c === '\\') i++;
			else if (c === '"') inText = false;
		} else if (c === '"') inText = true;
		else if (c === '{' || c === '[') {
			if (++depth > 800) throw new BadInput(`${what} is nested more than 800 deep.`);
		} else if (c === '}' || c === ']') depth--;
	}
	let json: unknown;
	try {
		json = JSON.parse(text);
	} catch (e) {
		throw new BadInput(`${what} is no JSON: ${(e as Error).message}`);
	}
	if (/__proto__|\\u/.test(text) && namesPrototype(json))
		throw new BadInput(`${what} has a key “__proto__”; nothing may be called so.`);
	const odd = /\\u(0000|d[89a-f])|\p{Surrogate}/iu.test(text) ? unreadableIn(json, '') : null;
	if (odd !== null)
		throw new BadInput(
			`${what} holds a sign that no text can have (NUL, or half of a pair)${odd && ` at ${odd}`}.`
		);
	return json;
}

/** Where the first text stands that cannot be held, as `records[2].values.name`; null when there is none. */
function unreadableIn(json: unknown, at: string): string | null {
	if (typeof json === 'string') return isText(json) ? null : at;
	if (typeof json !== 'object' || json === null) return null;
	for (const [key, value] of Object.entries(json)) {
		const place = Array.isArray(json) ? `${at}[${key}]` : at ? `${at}.${key}` : key;
		if (!isText(key)) return at;
		const odd = unreadableIn(value, place);
		if (odd !== null) return odd;
	}
	return null;
}

/** Whether any object within has a key that would set its prototype wherever it is copied. */
function namesPrototype(json: unknown): boolean {
	if (typeof json !== 'object' || json === null) return false;
	return Object.hasOwn(json, '__proto__') || Object.values(json).some(namesPrototype);
}

const acceptance = only({
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

const personName = () =>
	text(80)
		.trim('${path} has no space before or behind it')
		.matches(/^\P{Cc}*$/u, '${path} must be one line');
const personEmail = () => text(200).email('${path} must be an e-mail address');
const personRole = () => word(ROLES);
const personRecord = () =>
	yup
		.string()
		.strict()
		.nullable()
		.matches(/^\d{1,18}$/, '${path} must be a record number, or null');

/** A person to add. @throws {BadInput} naming the place */
export const checkNewPerson = (v: unknown) =>
	check<{ name: string; email: string; role: Role; person?: string | null }>(
		only({
			name: personName().required(),
			email: personEmail().required(),
			role: personRole().required(),
			person: personRecord()
		}),
		v
	);

/** What changes in a person. @throws {BadInput} naming the place */
export const checkPersonChange = (v: unknown) =>
	check<{ name?: string; email?: string; role?: Role; person?: string | null; retired?: boolean }>(
		only({
			name: personName().optional(),
			email: personEmail().optional(),
			role: personRole().optional(),
			person: personRecord(),
			retired: yup.boolean().strict()
		}),
		v
	);

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

/** A release as it is exported: what it fixes, and the model it speaks of. */
export interface Release extends RuleSet {
	model: Model;
}

const at = <T>(place: string, work: () => T): T => {
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
