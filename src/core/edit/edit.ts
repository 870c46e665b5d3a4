/**
 * Edits of a draft, or of the model, as values. An edit is made of pieces, each the smallest thing with an identity: an
 * attribute, an output, a row, a cell, a claim order. A piece says what stood there and what stands
 * there now, so an edit can be undone, sent alone and merged with what others did meanwhile: a piece
 * applies only where what it found still stands.
 */
import { canonicalJson } from '../document/canonical';
import type { JsonValue } from '../document/json';
import type { Model } from '../document/model';
import type { RuleSet } from '../document/rules';

/** The way to a piece: keys of objects, identities in lists that have them, else places (zero-based). */
export type Path = readonly string[];

export interface Piece {
	path: Path;
	/** What stood there; absent for what was not there. */
	before?: JsonValue;
	/** What stands there now; absent for what was taken out. */
	after?: JsonValue;
	/** Of something with an identity that is put in or taken out: what it stands behind; null for the first. */
	behind?: string | null;
}

export interface Edit {
	/** What was done, for the one who may undo it. */
	label: string;
	pieces: Piece[];
}

/** In the place of an identity: the order of a list. */
const ORDER = '~order';

type Dict = Record<string, unknown>;
type Identified = Dict & { id: string };

const isDict = (x: unknown): x is Dict => typeof x === 'object' && x !== null && !Array.isArray(x);
const isIdentified = (x: unknown): x is Identified[] =>
	Array.isArray(x) && x.every((e) => isDict(e) && typeof e.id === 'string');

/** Equal as JSON; `undefined` is what is not there. */
function equal(a: unknown, b: unknown): boolean {
	if (a === b) return true;
	if (a === undefined || b === undefined) return false;
	return canonicalJson(a) === canonicalJson(b);
}

// ── What an edit is made of ──────────────────────────────────────────────────────────────────────

/** What was done between two states of a draft. */
export function editBetween(label: string, before: RuleSet, after: RuleSet): Edit {
	const pieces: Piece[] = [];
	for (const list of ['rules', 'definitions', 'tables'] as const)
		if (before[list] !== after[list])
			lists(
				[list],
				(before[list] ?? []) as unknown as Identified[],
				(after[list] ?? []) as unknown as Identified[],
				pieces
			);
	keyed(['order'], before.order, after.order, pieces);
	return { label, pieces };
}

/** What was done between two states of a model. */
export function modelEditBetween(label: string, before: Model, after: Model): Edit {
	const pieces: Piece[] = [];
	for (const list of ['types', 'lists'] as const)
		if (before[list] !== after[list])
			lists(
				[list],
				before[list] as unknown as Identified[],
				after[list] as unknown as Identified[],
				pieces
			);
	return { label, pieces };
}

function piece(path: Path, before: unknown, after: unknown, pieces: Piece[], more: object = {}) {
	if (equal(before, after)) return;
	pieces.push({
		path,
		...(before === undefined ? {} : { before: before as JsonValue }),
		...(after === undefined ? {} : { after: after as JsonValue }),
		...more
	});
}

/** Lists whose elements have identities: those put in, taken out and changed, and the order of the rest. */
function lists(
	path: Path,
	before: readonly Identified[],
	after: readonly Identified[],
	pieces: Piece[]
) {
	const had = new Map(before.map((x) => [x.id, x]));
	const has = new Map(after.map((x) => [x.id, x]));
	// taken out from the last, then put in order, then put in from the first: each finds its neighbour
	for (let i = before.length - 1; i >= 0; i--)
		if (!has.has(before[i].id))
			piece([...path, before[i].id], before[i], undefined, pieces, {
				behind: before[i - 1]?.id ?? null
			});
	const kept = (xs: readonly Identified[]) =>
		xs.map((x) => x.id).filter((id) => had.has(id) && has.has(id));
	piece([...path, ORDER], kept(before), kept(after), pieces);
	after.forEach((x, i) => {
		if (!had.has(x.id))
			piece([...path, x.id], undefined, x, pieces, { behind: after[i - 1]?.id ?? null });
	});
	for (const x of after) {
		const old = had.get(x.id);
		if (old && old !== x) attributes([...path, x.id], old, x, pieces);
	}
}

function keyed(path: Path, before: Dict, after: Dict, pieces: Piece[]) {
	if (before === after) return;
	for (const key of new Set([...Object.keys(before), ...Object.keys(after)]))
		piece(
			[...path, key],
			Object.hasOwn(before, key) ? before[key] : undefined,
			Object.hasOwn(after, key) ? after[key] : undefined,
			pieces
		);
}

function attributes(path: Path, before: Dict, after: Dict, pieces: Piece[]) {
	for (const key of new Set([...Object.keys(before), ...Object.keys(after)])) {
		const [a, b] = [before[key], after[key]];
		if (a !== b) attribute([...path, key], a, b, pieces);
	}
}

function attribute(path: Path, a: unknown, b: unknown, pieces: Piece[]) {
	const key = path.at(-1);
	if (key === 'body' && isDict(a) && isDict(b) && a.kind === b.kind)
		return attributes(path, a, b, pieces);
	if (key === 'rows' && isDict(a) && isDict(b)) return keyed(path, a, b, pieces);
	if (Array.isArray(a) && Array.isArray(b) && a.length && b.length) {
		if (isIdentified(a) && isIdentified(b)) return lists(path, a, b, pieces);
		// a list of texts and numbers is one thing; of others, one of the same length goes by place
		const parts = [...a, ...b].every((x) => typeof x === 'object');
		if (parts && a.length === b.length)
			return a.forEach((x, i) => piece([...path, String(i)], x, b[i], pieces));
	}
	piece(path, a, b, pieces);
}

// ── Carrying one out ─────────────────────────────────────────────────────────────────────────────

/**
 * The set with what another holds accepted: no edit touches that. The very same where nothing differs.
 */
export const acceptedAs = (set: RuleSet, { accepted }: RuleSet): RuleSet =>
	equal(set.accepted ?? [], accepted ?? []) ? set : { ...set, accepted };

/** The edit that takes another back. */
export const reversed = (e: Edit): Edit => ({
	label: e.label,
	pieces: e.pieces
		.map(({ before, after, ...rest }) => ({
			...rest,
			...(after === undefined ? {} : { before: after }),
			...(before === undefined ? {} : { after: before })
		}))
		.reverse()
});

export interface Applied<D> {
	set: D;
	/** Pieces that found something else than they say stood there: somebody changed it meanwhile. */
	refused: Piece[];
}

/**
 * Carries out the pieces of an edit on a draft or a model. What has been done already counts as done, so an edit
 * may come twice; what stands otherwise is refused and stays. All that the edit does not touch is the
 * very same afterwards.
 */
export function applied<D extends RuleSet | Model>(set: D, pieces: readonly Piece[]): Applied<D> {
	const refused: Piece[] = [];
	let next: D = set;
	for (const p of pieces) {
		const found = at(next, p.path);
		const { now, before, after } =
			p.path.at(-1) === ORDER ? inOrder(found, p) : { now: found, ...p };
		if (equal(now, after)) continue;
		if (equal(now, before)) next = put(next, p.path, p) as D;
		else refused.push(p);
	}
	return { set: next, refused };
}

/** Carries out the pieces whatever stands there now: one of two that stood against each other is chosen. */
export const forced = <D extends RuleSet | Model>(set: D, pieces: readonly Piece[]): D =>
	pieces.reduce((next, { before: _, ...p }) => {
		const found = at(next, p.path) as JsonValue | undefined;
		return applied(next, [found === undefined ? p : { ...p, before: found }]).set;
	}, set);

/** An order by those of its elements that are still there: others have come and gone. */
function inOrder(found: unknown, p: Piece) {
	const all = (found as string[] | undefined) ?? [];
	const there = (ids: unknown) => (ids as string[]).filter((id) => all.includes(id));
	const before = there(p.before);
	return { now: all.filter((id) => before.includes(id)), before, after: there(p.after) };
}

/** What stands at a path; undefined when nothing does. */
export function at(doc: unknown, path: Path): unknown {
	let x = doc;
	for (const [i, key] of path.entries()) {
		if (key === ORDER && i === path.length - 1)
			return isIdentified(x) ? x.map((e) => e.id) : undefined;
		x = step(x, key);
		if (x === undefined) return undefined;
	}
	return x;
}

function step(x: unknown, key: string): unknown {
	if (Array.isArray(x)) {
		if (isIdentified(x)) return x.find((e) => e.id === key);
		return /^\d+$/.test(key) ? (x as unknown[])[Number(key)] : undefined;
	}
	return isDict(x) && Object.hasOwn(x, key) ? x[key] : undefined;
}

function put(doc: unknown, [key, ...rest]: Path, p: Piece): unknown {
	if (Array.isArray(doc)) return putInList(doc, key, rest, p);
	const dict = isDict(doc) ? doc : {};
	const value = rest.length ? put(step(dict, key) ?? [], rest, p) : p.after;
	const { [key]: _gone, ...others } = dict;
	if (value === undefined) return others;
	// what stays keeps its place among the keys
	return Object.hasOwn(dict, key) ? { ...dict, [key]: value } : { ...others, [key]: value };
}

function putInList(list: unknown[], key: string, rest: Path, p: Piece): unknown {
	if (!isIdentified(list)) {
		const value = rest.length ? put(list[Number(key)], rest, p) : p.after;
		return list.map((x, i) => (i === Number(key) ? value : x));
	}
	if (key === ORDER) return ordered(list, p.after as string[]);
	const i = list.findIndex((e) => e.id === key);
	if (rest.length) return list.map((x, k) => (k === i ? put(x, rest, p) : x));
	const without = list.filter((_, k) => k !== i);
	if (p.after === undefined) return without;
	if (i >= 0) return list.map((x, k) => (k === i ? p.after : x));
	// behind its neighbour; where that is gone, at the end
	const before = p.behind === null ? -1 : without.findIndex((e) => e.id === p.behind);
	const place = p.behind === null ? 0 : before < 0 ? without.length : before + 1;
	return without.toSpliced(place, 0, p.after as unknown as Identified);
}

/** The list with the named elements in a given order, in the places that they have; others stay where they are. */
function ordered(list: readonly Identified[], ids: readonly string[]): Identified[] {
	const named = new Map(list.filter((x) => ids.includes(x.id)).map((x) => [x.id, x]));
	const turn = ids.filter((id) => named.has(id));
	let k = 0;
	return list.map((x) => (named.has(x.id) ? named.get(turn[k++])! : x));
}

/** The rules, definitions and tables that pieces lie in, each once. */
export function touched(pieces: readonly Piece[]): {
	part: 'rules' | 'definitions' | 'tables' | 'order';
	id: string;
}[] {
	const out = new Map<string, { part: 'rules'; id: string }>();
	for (const { path } of pieces)
		out.set(path.slice(0, 2).join(' '), { part: path[0] as 'rules', id: path[1] });
	return [...out.values()];
}

/** What a path leads into, as people know it: `“Size class”`, `the table “Country desk”`. */
export function partName(set: RuleSet, [part, id]: Path): string {
	if (part === 'rules') return `“${set.rules.find((r) => r.id === id)?.name ?? id}”`;
	if (part === 'definitions')
		return `the definition “${set.definitions?.find((d) => d.id === id)?.name ?? id}”`;
	if (part === 'tables') return `the table “${set.tables?.find((t) => t.id === id)?.label ?? id}”`;
	return `the claim order of ${id}`;
}
