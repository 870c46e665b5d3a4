/**
 * Indexes that lists would use: proposed from the views that somebody keeps, and from what a list asks; wanted by whoever
 * operates, made by a job.
 */
import type { Expr, Schema } from '../../core';
import { compileSelection } from '../../core';
import { BadInput } from '../../door';
import {
	STAMPS,
	readColumn,
	type IndexUse,
	type ListAsked,
	type ListIndex,
	type Stamp
} from '../../door/lists';
import { STAMP_LABEL, fieldAt } from '../../runtime/lists';
import { note } from '../audit/audit';
import {
	indexName,
	isThere,
	madeIndexes,
	sizesOf,
	unwantIndex,
	wantIndex,
	wantedIndexes
} from '../db/list-index';
import type { Account } from '../db/people';
import { db, transaction, type Db } from '../db/pool';
import { listViews } from '../db/views';
import { queueIndexing } from '../jobs/indexing';
import { inForce } from '../records';

/** Records from which on an index is worth its while: fewer are read as fast. */
export const WORTH = 20_000;

/** Fields that lists are ordered by as by the value itself. */
const BY_VALUE = new Set(['number', 'money', 'percent', 'date', 'moment', 'yesno']);

/** The indexes that a list would use; and whether it is ordered by what no index can order. */
export function indexesFor(
	schema: Schema,
	type: string,
	asked: ListAsked
): { of: ListIndex[]; beyond: boolean } {
	const out = new Map<string, ListIndex>();
	const add = (field: string, use: IndexUse, of = type) => {
		if (!isThere(schema, { type: of, field, use })) return;
		// there is one of each already
		if (use === 'value' && schema.field(of, field)?.type === 'link') return;
		out.set(`${of} ${field} ${use}`, { type: of, field, use });
	};
	let beyond = false;
	const sort = asked.sort && asked.sort.column !== 'id' ? readColumn(asked.sort.column) : null;
	const led = sort?.k === 'field' ? fieldAt(schema, type, sort.path) : null;
	if (led) {
		// links go by the title of what they lead to
		const { links, field } = led;
		const all = field.type === 'link' ? [...links, field] : links;
		const of = all.at(-1)?.target ?? type;
		const f = field.type === 'link' ? schema.field(of, schema.type(of).type.title)! : field;
		// PostgreSQL begins at the records that one link leads to, in their order
		if (all.length > 1) beyond = true;
		else add(f.id, BY_VALUE.has(f.type) ? 'value' : 'order', of);
	} else if (sort?.k === 'stamp') add(sort.of, 'stamp');
	else if (sort) beyond = true;
	for (const of of STAMPS) if (asked[of]) add(of, 'stamp');
	if (asked.find.trim()) add(schema.type(type).type.title, 'words');
	for (const s of asked.setBy) if (s.by !== 'unknown') add(s.field, 'setter');
	const { expr } = asked.where
		? compileSelection(schema, { type, condition: asked.where }).selector
		: { expr: null };
	if (expr && !asked.untold)
		for (const field of comparedIn(expr)) {
			// what a set holds is asked by no index of its value
			if (schema.field(type, field)?.type !== 'choices') add(field, 'value');
		}
	return { of: [...out.values()], beyond };
}

/** Own fields that a condition compares with something, in each of its rows that have to be so. */
function comparedIn(e: Expr): string[] {
	if (e.k === 'and') return e.items.flatMap(comparedIn);
	const own = (x: Expr) => (x.k === 'field' && x.image === 'settled' ? [x.field] : []);
	if (e.k === 'bin' && e.op !== '!=') return [...own(e.a), ...own(e.b)];
	if (e.k === 'between' || (e.k === 'in' && !e.tests.not)) return own(e.x);
	return [];
}

/** What there is of an index, or could be. */
export interface IndexLine extends ListIndex {
	/** Views that would use it, by name. */
	views: { id: string; name: string }[];
	state: 'proposed' | 'waiting' | 'made' | 'failed';
	/** Why it could not be made. */
	trouble: string | null;
	/** Who wanted it. */
	by: string | null;
	/** What it takes on the disk; null while it is not made. */
	bytes: number | null;
	/** How often it was read; null while it is not made. */
	reads: number | null;
	/** About how many records the type has; null where PostgreSQL has not counted yet. */
	records: number | null;
}

export interface Indexes {
	lines: IndexLine[];
	/** Views that are ordered by what no index can order. */
	beyond: { type: string; id: string; name: string }[];
}

/**
 * What is wanted, made and proposed.
 * @param also what a list asks that somebody looks at, beside the views
 */
export async function indexesOf(
	workspace: string,
	also: { type: string; list: ListAsked } | null = null
): Promise<Indexes> {
	const { schema } = await inForce(db(), workspace);
	const types = schema.model.types.map((t) => t.id);
	const sizes = await sizesOf(db(), types);
	const made = await madeIndexes(db());
	const lines = new Map<string, IndexLine>();
	const beyond: Indexes['beyond'] = [];
	const lineOf = (i: ListIndex) => {
		const key = `${i.type} ${i.field} ${i.use}`;
		const there = made.get(indexName(schema, i));
		const line = lines.get(key) ?? {
			type: i.type,
			field: i.field,
			use: i.use,
			views: [],
			state: 'proposed' as const,
			trouble: null,
			by: null,
			bytes: there?.valid ? there.bytes : null,
			reads: there?.valid ? there.reads : null,
			records: sizes.get(i.type) ?? null
		};
		lines.set(key, line);
		return line;
	};
	for (const i of await wantedIndexes(db(), workspace, schema)) {
		const line = lineOf(i);
		line.state = line.bytes !== null ? 'made' : i.trouble ? 'failed' : 'waiting';
		line.trouble = line.bytes === null ? i.trouble : null;
		line.by = i.by;
	}
	for (const type of types)
		for (const view of await listViews(db(), workspace, type)) {
			const would = indexesFor(schema, type, view.list);
			for (const i of would.of) lineOf(i).views.push({ id: view.id, name: view.name });
			if (would.beyond) beyond.push({ type, id: view.id, name: view.name });
		}
	if (also && schema.types.has(also.type))
		for (const i of indexesFor(schema, also.type, also.list).of) lineOf(i);
	return { lines: [...lines.values()], beyond };
}

/** Those that a list would use and that nobody made. */
export async function missingFor(
	c: Db,
	schema: Schema,
	type: string,
	asked: ListAsked
): Promise<ListIndex[]> {
	const made = await madeIndexes(c);
	return indexesFor(schema, type, asked).of.filter((i) => !made.get(indexName(schema, i))?.valid);
}

/**
 * How many indexes would make a list faster.
 * @param worth records from which on one does: fewer are read as fast without
 */
export async function helpfulFor(
	c: Db,
	schema: Schema,
	type: string,
	asked: ListAsked,
	worth = WORTH
): Promise<number> {
	const records = (await sizesOf(c, [type])).get(type) ?? 0;
	return records < worth ? 0 : (await missingFor(c, schema, type, asked)).length;
}

/** Wants indexes, or wants them no more. @throws {BadInput} for a field that is not there, or that has no such use */
export async function setIndexes(
	account: Account,
	which: readonly ListIndex[],
	wanted: boolean
): Promise<void> {
	const { workspace } = account;
	await transaction(async (c) => {
		const { schema } = await inForce(c, workspace);
		for (const i of which) {
			if (!isThere(schema, i)) throw new BadInput(`There is no field “${i.type}.${i.field}”.`);
			const field = i.use === 'stamp' ? null : schema.field(i.type, i.field)!;
			const label = `${schema.type(i.type).type.plural}: ${field?.label ?? STAMP_LABEL[i.field as Stamp]}`;
			if (!wanted) {
				if (await unwantIndex(c, workspace, i))
					await note(c, account, 'wanted an index no more', label, { use: i.use });
				continue;
			}
			const title = schema.type(i.type).type.title === i.field;
			if (i.use === 'words' && !title)
				throw new BadInput('A part is looked for in the title of records only.');
			if (field && i.use === 'order' && (field.type === 'link' || BY_VALUE.has(field.type)))
				throw new BadInput(`“${field.label}” is ordered by its value: an index of that is enough.`);
			await wantIndex(c, workspace, i, account.id);
			await note(c, account, 'wanted an index', label, { use: i.use });
		}
		await queueIndexing(c, workspace, schema, account.id);
	});
}
