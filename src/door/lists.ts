/**
 * What a list of records asks for, for server and pages alike: as it stands in an address, and as views keep it.
 * Everything in it names fields by identity, so that an address holds whatever is renamed.
 */
import type { Formula } from '../core';
import { LocalDate, canonicalJson } from '../core';
import { BadInput, check } from './check';
import { flag, formulaOrNull, id, list, only, text, word } from './parts';
import * as yup from 'yup';
import { LINE_IS, type LineIs } from './line';

/** By whom a value was set; a rule may be named. */
export const SETTERS = ['rule', 'person', 'import', 'api', 'unknown'] as const;
export type Setter = (typeof SETTERS)[number];

/** Who set the present value of a field. */
export interface SetFact {
	field: string;
	by: Setter;
	/** The rule; null for whichever. */
	rule: string | null;
}

/** What a column of a list shows. */
export type ListColumn =
	/** A field of the record, or behind links that lead to one record: the links first. */
	| { k: 'field'; path: readonly string[] }
	/** How many records point to it by a link. */
	| { k: 'count'; type: string; field: string }
	/** What a field was before its latest change, and when that was. */
	| { k: 'before' | 'since'; field: string }
	/** When the record was made, or last changed. */
	| { k: 'stamp'; of: Stamp };

/** What the database notes of a record: when it was made, and last changed in whatever field by whomever. */
export const STAMPS = ['made', 'changed'] as const;
export type Stamp = (typeof STAMPS)[number];

/** Days within which changes count: certain ones, both included, or so many that end today. */
export type ListPeriod = { from: string; to: string } | { days: number };

export interface ListAsked {
	/** A part of the title. */
	find: string;
	/** A condition on the values; what it asks of changes is asked of the latest one of each field. */
	where: Formula | null;
	/** Those of which the condition cannot be told, in the place of those of which it is true. */
	untold: boolean;
	/** The days within which changes count; null for all. */
	period: ListPeriod | null;
	setBy: readonly SetFact[];
	/** Only records that were made, or last changed, within these days. */
	made: ListPeriod | null;
	changed: ListPeriod | null;
	/** Only records that a change runs on to and has not reached yet. */
	pending: boolean;
	/** Only records that belong to the pilot that is on. */
	pilot: boolean;
	/** Only records of which a value is out of line: of a field, or of any for null. */
	line: { field: string | null; is: LineIs } | null;
	/** As {@link columnText} writes them; null for those of the record type. */
	columns: readonly string[] | null;
	/** Null for the number, the newest first; `id` for the number. */
	sort: { column: string; desc: boolean } | null;
}

/** A list of all records of a type. */
export const EVERYTHING: ListAsked = {
	find: '',
	where: null,
	untold: false,
	period: null,
	setBy: [],
	made: null,
	changed: null,
	pending: false,
	pilot: false,
	line: null,
	columns: null,
	sort: null
};

const MOST_COLUMNS = 30;
const MOST_SET = 10;
/** Longest text by which is searched. */
const MOST_FIND = 100;

const ID = '[A-Za-z0-9_]+';
const COLUMN = new RegExp(
	`^(?:(#)(${ID})\\.(${ID})|([<@])(${ID})|!(${STAMPS.join('|')})|(${ID}(?:\\.${ID}){0,2}))$`
);

/**
 * A column as it is written: `stage`, `customer.size`, `#deal.customer`, `<stage` before, `@stage` since, `!made`; null
 * for none.
 */
export function readColumn(written: string): ListColumn | null {
	const m = COLUMN.exec(written);
	if (!m) return null;
	const [, count, type, link, was, field, stamp, path] = m;
	if (count) return { k: 'count', type, field: link };
	if (was) return { k: was === '<' ? 'before' : 'since', field };
	if (stamp) return { k: 'stamp', of: stamp as Stamp };
	return { k: 'field', path: path.split('.') };
}

export function columnText(c: ListColumn): string {
	if (c.k === 'count') return `#${c.type}.${c.field}`;
	if (c.k === 'stamp') return `!${c.of}`;
	return c.k === 'field' ? c.path.join('.') : `${c.k === 'before' ? '<' : '@'}${c.field}`;
}

const column = () =>
	text(200).matches(COLUMN, '${path} must be a column, as stage, customer.size or #deal.customer');

const may = <T extends yup.Schema>(of: T) => of.optional();
function isPeriod(v: unknown): v is ListPeriod {
	if (typeof v !== 'object' || v === null) return false;
	const { from, to, days, ...other } = v as Record<string, unknown>;
	if (Object.keys(other).length) return false;
	if (days !== undefined)
		return (
			from === undefined &&
			to === undefined &&
			Number.isInteger(days) &&
			Number(days) >= 1 &&
			Number(days) <= 36_600
		);
	const [first, last] = [from, to].map((d) => (typeof d === 'string' ? LocalDate.parse(d) : null));
	// nothing was changed before there were computers, and nothing will be when this is forgotten
	return (
		!!first && !!last && first.year >= 1900 && first.epochDay <= last.epochDay && last.year < 9999
	);
}

const periodOrNull = () =>
	yup
		.mixed()
		.nullable()
		.test(
			'period',
			'${path} must be days as {"from": "2026-11-01", "to": "2026-11-24"}, or a number of them up to today as {"days": 30}',
			(v) => v === null || v === undefined || isPeriod(v)
		);

const listed = () =>
	only({
		find: may(text(MOST_FIND)),
		where: formulaOrNull(true),
		untold: may(flag()),
		period: periodOrNull(),
		made: periodOrNull(),
		changed: periodOrNull(),
		setBy: may(
			list(only({ field: text(60), by: word(SETTERS), rule: may(text(60).nullable()) }), MOST_SET)
		),
		pending: may(flag()),
		pilot: may(flag()),
		line: may(only({ field: text(60).nullable(), is: word(LINE_IS) }).nullable()),
		columns: may(list(column(), MOST_COLUMNS).nullable()),
		sort: may(only({ column: column(), desc: flag() }).nullable())
	});

/** Most characters of a file of keys. */
const MOST_KEYS = 2_000_000;

/** Records that a file names. */
export interface KeysAsked {
	type: string;
	/** `No.`, or the field that is the key. */
	by: string;
	/** One key a line, or CSV whose first line names its columns. */
	text: string;
}

/** A file of keys. @throws {BadInput} naming the place */
export const checkKeys = (v: unknown): KeysAsked =>
	check<KeysAsked>(only({ type: text(60), by: text(60), text: text(MOST_KEYS) }), v);

/** What a list asks for; what is left out is as in {@link EVERYTHING}. @throws {BadInput} naming the place */
export const checkList = (v: unknown): ListAsked =>
	whole(check<Partial<ListAsked>>(listed(), v ?? {}));

const whole = (v: Partial<ListAsked>): ListAsked => ({
	...EVERYTHING,
	...v,
	setBy: (v.setBy ?? []).map((s) => ({ ...s, rule: s.rule ?? null }))
});

/** A view to be kept. @throws {BadInput} naming the place */
export function checkView(v: unknown): { type: string; name: string; list: ListAsked } {
	const {
		type,
		name,
		list: asked
	} = check<{
		type: string;
		name: string;
		list: Partial<ListAsked>;
	}>(only({ type: text(60), ...named() }), v);
	return { type, name: name.trim(), list: whole(asked) };
}

/** What a view is to become, and the version of it that its author saw. @throws {BadInput} naming the place */
export function checkViewChange(v: unknown): { version: number; name: string; list: ListAsked } {
	const {
		version,
		name,
		list: asked
	} = check<{
		version: number;
		name: string;
		list: Partial<ListAsked>;
	}>(only({ version: yup.number().strict().required().integer(), ...named() }), v);
	return { version, name: name.trim(), list: whole(asked) };
}

const named = () => ({
	name: text(80).test('name', '${path} must be given', (v) => !!v?.trim()),
	list: listed().required()
});

/** Longest address that a list may take. */
export const MOST_ADDRESS = 7_000;

/** A list as a query, only what it asks for otherwise than {@link EVERYTHING}. */
export function listQuery(asked: ListAsked): URLSearchParams {
	const { find, sort, ...rest } = asked;
	const q = new URLSearchParams();
	const said = Object.entries(rest).filter(
		([k, v]) => JSON.stringify(v) !== JSON.stringify(EVERYTHING[k as keyof ListAsked])
	);
	if (said.length) q.set('list', JSON.stringify(Object.fromEntries(said)));
	if (find) q.set('find', find);
	if (sort) {
		q.set('sort', sort.column);
		if (sort.desc) q.set('desc', '1');
	}
	return q;
}

/** The list of a query, on top of what it goes on from. @throws {BadInput} naming the place */
export function listOf(q: URLSearchParams, from: ListAsked = EVERYTHING): ListAsked {
	const written = q.get('list');
	let said: unknown;
	try {
		said = written === null ? from : JSON.parse(written);
	} catch {
		throw new BadInput('“list” in the address is no JSON.');
	}
	if (typeof said !== 'object' || said === null || Array.isArray(said))
		throw new BadInput('“list” in the address is no object.');
	const sort = q.get('sort');
	return checkList({
		...said,
		...(q.has('find') ? { find: q.get('find')!.slice(0, MOST_FIND) } : {}),
		...(sort === null ? {} : { sort: { column: sort, desc: q.get('desc') === '1' } })
	});
}

/** Whether two lists ask the same. */
export const sameList = (a: ListAsked, b: ListAsked) => canonicalJson(a) === canonicalJson(b);

/**
 * What a list asks of a field that an index can answer: its value, for filters and most orders; the order of texts,
 * options and sets; a part of the title; who set it; and when records were made or last changed.
 */
export const INDEX_USES = ['value', 'order', 'words', 'setter', 'stamp'] as const;
export type IndexUse = (typeof INDEX_USES)[number];

/** An index that lists would use. */
export interface ListIndex {
	type: string;
	/** A field; one of {@link STAMPS} for `stamp`. */
	field: string;
	use: IndexUse;
}

/** Indexes to be wanted, or no more. @throws {BadInput} naming the place */
export const checkIndexes = (v: unknown) =>
	check<{ indexes: ListIndex[]; wanted: boolean }>(
		only({
			indexes: list(only({ type: id(), field: id(), use: word(INDEX_USES) }), 200, 1),
			wanted: flag()
		}),
		v
	);
