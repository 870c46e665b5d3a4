/**
 * Lists of records, a page at a time. What the database can tell of a condition it tells; of the rest it brings the
 * records that may be meant, in their order, and the core decides each, up to so many.
 */
import type { JsonValue, Schema, Selector, Value } from '../../core';
import { LocalDate, compileSelection, fromJson, selects, toJson, untold } from '../../core';
import { BadInput } from '../../door';
import {
	columnText,
	STAMPS,
	readColumn,
	type ListAsked,
	type ListColumn,
	type ListPeriod
} from '../../door/lists';
import { dayIn, startOfDay } from '../../runtime/format';
import { asksOfChanges, fieldAt } from '../../runtime/lists';
import { zones } from '../../runtime/zones';
import { narrowed, type Narrowing } from '../db/filter';
import {
	MOST_COUNTED,
	besideValue,
	changesBetween,
	countList,
	isBeside,
	readBefore,
	readList,
	type BeforeLine,
	type Cursor,
	type ListOrder,
	type Listed,
	type ListedRecord
} from '../db/lists';
import type { Db } from '../db/pool';
import { limited } from '../db/pool';
import { titlesOf } from '../db/records';
import { historyFrom } from '../db/retention';
import { AtHand } from '../records/near';

/** Records decided by the core for one page, and for a count. */
const MOST_DECIDED = 5_000;
const MOST_COUNT_DECIDED = 20_000;
/** Records brought at once for the core to decide. */
const PIECE = 250;
/** How long counting may take. */
const COUNT_MS = 3_000;

/** Who looks, and when. */
export interface Looker {
	workspace: string;
	person: string | null;
	/** Milliseconds since 1970. */
	instant: number;
}

/** A list that was read: all of it fits the model. */
export interface ReadyList {
	schema: Schema;
	by: Looker;
	listed: Listed;
	columns: readonly ListColumn[];
	/** The same as they are written. */
	written: string[];
	order: ListOrder;
	/** What the core has to decide; null where the database tells all. */
	selector: Selector | null;
	period: { first: string; last: string } | null;
	/** It asks for changes from before history is whole, ISO 8601: those count as none; null where it does not. */
	knownFrom: string | null;
	/** Fields of which columns show what they were. */
	shownBefore: readonly string[];
}

/** Holds a list against the model. @throws {BadInput} naming what does not fit */
export async function readyList(
	db: Db,
	schema: Schema,
	by: Looker,
	type: string,
	asked: ListAsked
): Promise<ReadyList> {
	const columns = (asked.columns ?? schema.type(type).type.columns).flatMap((written) => {
		const c = readColumn(written);
		// what is not there any more is left out: a view outlives a field
		return c && columnFits(schema, type, c) ? [c] : [];
	});
	for (const { field } of asked.setBy)
		if (!schema.field(type, field))
			throw new BadInput(`There is no field “${field}” any more that somebody can have set.`);
	if (asked.line?.field && !schema.field(type, asked.line.field))
		throw new BadInput(`There is no field “${asked.line.field}” any more that can be out of line.`);
	const today = LocalDate.parse(
		dayIn(new Date(by.instant).toISOString(), schema.model.zone) ?? ''
	)!;
	const { zone } = schema.model;
	/** The instants at which a period begins and is over. */
	const instants = (p: ListPeriod) => {
		const { first, last } = boundsOf(p, today);
		return {
			from: startOfDay(first, zone),
			to: startOfDay(LocalDate.fromEpochDay(last.epochDay + 1) ?? last, zone)
		};
	};
	const counts = asked.period && instants(asked.period);
	const period = counts && (await changesBetween(db, by.workspace, counts.from, counts.to));
	const from = asksOfChanges(asked) ? await historyFrom(db, by.workspace) : null;
	const whole = !from || (!!counts && Date.parse(counts.from) >= Date.parse(from));
	const values: unknown[] = [by.workspace];
	let narrowing: Narrowing | null = null;
	let selector: Selector | null = null;
	if (asked.where) {
		const compiled = conditionOf(schema, type, asked.where);
		const expr = compiled.expr!;
		const c = { schema, type, today, person: by.person, period };
		narrowing = narrowed(expr, asked.untold, c, values);
		if (!narrowing.exact)
			selector = asked.untold ? conditionOf(schema, type, untold(expr)) : compiled;
	}
	return {
		schema,
		by,
		listed: {
			type,
			find: asked.find.trim(),
			narrowing,
			values,
			setBy: asked.setBy,
			stamped: STAMPS.flatMap((of) => (asked[of] ? [{ of, ...instants(asked[of]) }] : [])),
			pending: asked.pending,
			pilot: asked.pilot,
			line: asked.line
		},
		columns,
		written: columns.map(columnText),
		order: orderOf(schema, type, asked),
		selector,
		period,
		knownFrom: whole ? null : from,
		shownBefore: [
			...new Set(columns.flatMap((c) => (c.k === 'before' || c.k === 'since' ? [c.field] : [])))
		]
	};
}

/** The first and the last day of a period. */
function boundsOf(p: ListPeriod, today: LocalDate): { first: LocalDate; last: LocalDate } {
	if ('days' in p)
		return { first: LocalDate.fromEpochDay(today.epochDay - p.days + 1) ?? today, last: today };
	return { first: LocalDate.parse(p.from)!, last: LocalDate.parse(p.to)! };
}

function conditionOf(schema: Schema, type: string, condition: ListAsked['where'] & object) {
	const { selector, problems } = compileSelection(schema, { type, condition });
	if (problems.length || !selector.expr)
		throw new BadInput(`The condition: ${problems[0]?.message ?? 'it is not finished.'}`);
	return selector;
}

function columnFits(schema: Schema, type: string, c: ListColumn): boolean {
	if (c.k === 'field') return fieldAt(schema, type, c.path) !== null;
	if (c.k === 'stamp') return true;
	if (c.k !== 'count') return schema.field(type, c.field) !== undefined;
	const link = schema.types.has(c.type) ? schema.field(c.type, c.field) : undefined;
	return link?.type === 'link' && link.target === type;
}

function orderOf(schema: Schema, type: string, { sort }: ListAsked): ListOrder {
	if (!sort || sort.column === 'id') return { column: null, desc: sort?.desc ?? true };
	const c = readColumn(sort.column);
	const fits = c && columnFits(schema, type, c) && c.k !== 'before' && c.k !== 'since';
	return fits ? { column: c, desc: sort.desc } : { column: null, desc: true };
}

/** A place in a list as an address has it; null for none. */
export const cursorText = (c: Cursor | null): string | null =>
	c && (c.key === null ? c.id : `${c.id}:${c.key}`);

/** A place in a list from an address. @throws {BadInput} when it is none */
export function cursorOf(text: string | null): Cursor | null {
	if (!text) return null;
	const m = /^(\d{1,18})(?::(.*))?$/s.exec(text);
	if (!m || m[2]?.includes('\0')) throw new BadInput('The place in the list cannot be read.');
	return { id: m[1], key: m[2] ?? null };
}

/** A stretch of a list as it was found. */
export interface ListStretch {
	rows: ListedRecord[];
	/** Where it goes on, towards the end and back; null where nothing follows. */
	next: Cursor | null;
	before: Cursor | null;
	/** How many records the core decided until it stopped, where it stopped before the page was full. */
	stoppedAfter: number | null;
}

/** Records that match behind a place, or, going back, before it. */
export async function stretchOf(
	db: Db,
	l: ReadyList,
	{ from, back, size }: { from: Cursor | null; back: boolean; size: number }
): Promise<ListStretch> {
	const rows: ListedRecord[] = [];
	let at = from;
	let decided = 0;
	let end = false;
	while (rows.length <= size && !end && (!l.selector || decided < MOST_DECIDED)) {
		const most = l.selector ? PIECE : size + 1;
		const piece = await readList(db, l.schema, l.by.workspace, l.listed, l.columns, l.order, {
			from: at,
			back,
			size: most
		});
		end = piece.length < most || !l.selector;
		decided += piece.length;
		const passed = l.selector ? await passing(db, l, l.selector, piece) : piece;
		if (back) rows.unshift(...passed);
		else rows.push(...passed);
		at = (back ? piece[0] : piece.at(-1))?.cursor ?? at;
	}
	const more = rows.length > size;
	const shown = back ? rows.slice(-size) : rows.slice(0, size);
	const stopped = !more && !end;
	const onward = more ? (back ? shown[0] : shown.at(-1)!).cursor : stopped ? at : null;
	return {
		rows: shown,
		next: back ? (shown.at(-1)?.cursor ?? from) : onward,
		before: back ? onward : from && (shown[0]?.cursor ?? from),
		stoppedAfter: stopped ? decided : null
	};
}

/** Those of some records that the core takes. */
async function passing(
	db: Db,
	{ schema, by, listed, period }: ReadyList,
	selector: Selector,
	piece: readonly ListedRecord[]
): Promise<ListedRecord[]> {
	const before = await valuesBefore(db, schema, listed.type, piece, selector.events, period);
	const verdicts = new Map<ListedRecord, boolean | null>(piece.map((p) => [p, null]));
	await new AtHand(db, by.workspace, schema).fill((loader) => {
		const needs = [];
		for (const [p, had] of verdicts) {
			if (had !== null) continue;
			const { id, values } = p.record;
			const record = { id, values, before: before.get(id) };
			const told = selects(selector, record, by.instant, loader, zones, by.person);
			if (typeof told === 'boolean') verdicts.set(p, told);
			else needs.push(...told);
		}
		return needs;
	});
	return piece.filter((p) => verdicts.get(p));
}

/** What fields of some records were before their latest change, by record; what does not fit the model is left out. */
async function valuesBefore(
	db: Db,
	schema: Schema,
	type: string,
	piece: readonly ListedRecord[],
	fields: readonly string[],
	period: ReadyList['period']
): Promise<Map<string, Map<string, Value>>> {
	const ids = piece.map((p) => p.record.id);
	const out = new Map<string, Map<string, Value>>();
	for (const line of await readBefore(db, type, ids, fields, period)) {
		const f = schema.field(type, line.field);
		const read = f && fromJson(f, line.was, schema);
		if (!read?.ok) continue;
		const had = out.get(line.record) ?? new Map<string, Value>();
		out.set(line.record, had.set(line.field, read.value));
	}
	return out;
}

/** How many records a list has. */
export interface ListCount {
	n: number;
	/** There are more than were counted. */
	more: boolean;
}

/** Counts a list as far as that takes no long time; null where it would. */
export async function countOf(db: Db, l: ReadyList): Promise<ListCount | null> {
	if (!l.selector) {
		const n = await limited(COUNT_MS, (c) => countList(c, l.schema, l.by.workspace, l.listed));
		return n === null ? null : { n: Math.min(n, MOST_COUNTED), more: n > MOST_COUNTED };
	}
	const until = Date.now() + COUNT_MS;
	let at: Cursor | null = null;
	let n = 0;
	for (let decided = 0; decided < MOST_COUNT_DECIDED && Date.now() < until;) {
		const piece: ListedRecord[] = await readList(
			db,
			l.schema,
			l.by.workspace,
			l.listed,
			[],
			{ column: null, desc: true },
			{ from: at, back: false, size: PIECE }
		);
		n += (await passing(db, l, l.selector, piece)).length;
		if (piece.length < PIECE) return { n, more: false };
		decided += piece.length;
		at = piece.at(-1)!.cursor;
	}
	return { n, more: true };
}

/** A record as a list shows it. */
export interface ShownRecord {
	id: string;
	version: number;
	/** What stands in each column. */
	cells: JsonValue[];
	/** Own fields that a rule set. */
	byRule: string[];
}

/** What the records of a stretch show, with the titles of what they link to, by `type.id`. */
export async function shownOf(
	db: Db,
	l: ReadyList,
	rows: readonly ListedRecord[]
): Promise<{ records: ShownRecord[]; links: Record<string, string> }> {
	const { schema, by, listed } = l;
	const { at } = schema.type(listed.type);
	const lines = new Map<string, BeforeLine>();
	const ids = rows.map((r) => r.record.id);
	for (const b of await readBefore(db, listed.type, ids, l.shownBefore, l.period))
		lines.set(`${b.record} ${b.field}`, b);
	const wanted = new Map<string, Set<string>>();
	const records = rows.map(({ record, beside }): ShownRecord => {
		let n = 0;
		const cells = l.columns.map((c): JsonValue => {
			if (c.k === 'count' || c.k === 'stamp') return String(beside[n++]);
			if (c.k !== 'field') {
				const line = lines.get(`${record.id} ${c.field}`);
				if (c.k === 'since') return line?.at ?? null;
				const was = line?.was ?? null;
				const f = schema.field(listed.type, c.field)!;
				if (f.type === 'link' && typeof was === 'string') want(f.target!, was);
				return was;
			}
			const { field } = fieldAt(schema, listed.type, c.path)!;
			const v = isBeside(c)
				? besideValue(field, beside[n++], schema.model.zone)
				: record.values[at.get(field.id)!];
			if (field.type === 'link' && typeof v === 'string') want(field.target!, v);
			return toJson(v);
		});
		return {
			id: record.id,
			version: record.version,
			cells,
			byRule: Object.keys(record.setBy).filter((f) => record.setBy[f].by === 'rule')
		};
	});
	function want(type: string, id: string) {
		const had = wanted.get(type) ?? new Set();
		wanted.set(type, had.add(id));
	}
	const links: Record<string, string> = {};
	for (const [type, of] of wanted)
		for (const [id, title] of await titlesOf(db, schema, by.workspace, type, [...of]))
			links[`${type}.${id}`] = title;
	return { records, links };
}
