/**
 * A condition as a list that anybody can read and build: rows of [what] [relation] [with what], in groups
 * of all, any and none. Only the tree is stored, the list is a view of it: looking rewrites nothing, and
 * an edit rewrites the row that was edited and what holds it. What the list cannot say stays as a
 * formula among the rows.
 */
import type { Field, Schema } from '../document/model';
import type { Expr } from '../document/tree';
import type { Bound, Relation, SubjectKind } from './relations';
import { RELATIONS, filled, matched, relationOf, relationsFor } from './relations';

export type How = 'all' | 'any' | 'none';

/** One line: what is spoken of, what is said of it, and with what. */
export interface ConditionRow {
	k: 'row';
	subject: Expr;
	/** Identity of its {@link Relation}. */
	relation: string;
	/** One for each operand of the relation; of one that takes several, all of them. */
	operands: Expr[][];
	/** The tree it was read from, until it is edited. */
	of?: Expr;
}

/** What the list has no words for. */
export interface ConditionFormula {
	k: 'formula';
	of: Expr;
}

export interface ConditionGroup {
	k: 'group';
	how: How;
	items: ConditionItem[];
	of?: Expr;
}

export type ConditionItem = ConditionRow | ConditionFormula | ConditionGroup;

/** A place in a list: the index in each group on the way. */
export type ConditionPath = readonly number[];

/** What is still to be said. */
export const HOLE: Expr = { k: 'hole' };
/** What related records must meet where nothing is asked of them. */
const ANY_OF_THEM: Expr = { k: 'bool', v: true };

const KIND: Record<Field['type'], SubjectKind> = {
	text: 'text',
	email: 'text',
	phone: 'text',
	number: 'number',
	money: 'number',
	percent: 'number',
	date: 'date',
	moment: 'moment',
	yesno: 'yesno',
	choice: 'choice',
	choices: 'choices',
	link: 'link'
};

/** What can be asked of a field. */
export const kindOfField = (f: Pick<Field, 'type'>): SubjectKind => KIND[f.type];

/** The field that a row speaks of, its own or behind links that lead to one record; null for other subjects. */
export function fieldOfSubject(e: Expr, schema: Schema): Field | null {
	if (e.k === 'field')
		return e.image === 'settled' ? (schema.field(e.type, e.field) ?? null) : null;
	if (e.k === 'through')
		return leadsToOne(e.of, schema) ? (schema.field(e.type, e.field) ?? null) : null;
	if (e.k === 'env' && e.name === 'person' && schema.model.personType)
		return {
			id: 'person',
			label: 'The person making the change',
			group: '',
			type: 'link',
			target: schema.model.personType
		};
	return null;
}

/** Whether an expression is a link to one record, as it is, or the item that is looked at. */
function leadsToOne(e: Expr, schema: Schema): boolean {
	if (e.k === 'var') return e.name === 'item';
	return fieldOfSubject(e, schema)?.type === 'link';
}

/** Whether an expression is the records behind a link, as they are. */
function isRelated(e: Expr, schema: Schema): boolean {
	return e.k === 'related' && (e.of === null || leadsToOne(e.of, schema));
}

/** What can be asked of a subject; null where it is none, or not said yet. */
export function kindOfSubject(e: Expr, schema: Schema): SubjectKind | null {
	if (isRelated(e, schema)) return 'related';
	const field = fieldOfSubject(e, schema);
	return field && KIND[field.type];
}

/** Whether a subject is a field of the record itself, of which it can be asked what the change does to it. */
export const isOwnField = (e: Expr) => e.k === 'field' && e.image === 'settled';

// ── Reading ──────────────────────────────────────────────────────────────────────────────────────

/** Relations as they are recognised: what leaves less open stands first. */
const RECOGNISED = [...RELATIONS].sort((a, b) => a.operands.length - b.operands.length);

/** The row that a tree is; null where it is none. */
function rowOf(e: Expr, schema: Schema): ConditionRow | null {
	const subject = (x: Expr) => x.k === 'hole' || kindOfSubject(x, schema) !== null;
	for (const r of RECOGNISED)
		for (const form of r.plain ? [...r.trees, r.plain] : r.trees) {
			const bound = matched(form, e, subject);
			if (!bound?.x) continue;
			const [x] = bound.x;
			const kind = x.k === 'hole' ? (r.id === 'is' ? 'text' : null) : kindOfSubject(x, schema);
			if (!kind || !r.between.includes(kind) || (r.event && !isOwnField(x))) continue;
			const operands = r.operands.map((o) => bound[o.name] ?? [ANY_OF_THEM]);
			return { k: 'row', subject: x, relation: r.id, operands, of: e };
		}
	return null;
}

function itemOf(e: Expr, schema: Schema): ConditionItem {
	return rowOf(e, schema) ?? groupOf(e, schema) ?? { k: 'formula', of: e };
}

function groupOf(e: Expr, schema: Schema): ConditionGroup | null {
	const items = (xs: readonly Expr[]) => xs.map((x) => itemOf(x, schema));
	if (e.k === 'and') return { k: 'group', how: 'all', items: items(e.items), of: e };
	if (e.k === 'or') return { k: 'group', how: 'any', items: items(e.items), of: e };
	if (e.k !== 'call' || e.fn !== 'not' || e.args.length !== 1) return null;
	const [x] = e.args;
	return { k: 'group', how: 'none', items: x.k === 'or' ? items(x.items) : items([x]), of: e };
}

/** The list that shows a condition; an empty one for none. */
export function conditionList(e: Expr | null, schema: Schema): ConditionGroup {
	if (!e) return { k: 'group', how: 'all', items: [] };
	const item = itemOf(e, schema);
	return item.k === 'group' ? item : { k: 'group', how: 'all', items: [item] };
}

/** Its rows and formulas, groups gone through, in the order in which they are read. */
export const conditionLeaves = (g: ConditionGroup): (ConditionRow | ConditionFormula)[] =>
	g.items.flatMap((i) => (i.k === 'group' ? conditionLeaves(i) : [i]));

// ── Writing ──────────────────────────────────────────────────────────────────────────────────────

/** The tree that a row says. */
export function rowTree(row: ConditionRow): Expr {
	if (row.of) return row.of;
	const r = relationOf(row.relation);
	const bound: Bound = { x: [row.subject] };
	r.operands.forEach((o, i) => (bound[o.name] = row.operands[i]));
	const open = bound.f?.[0];
	const form = r.plain && open?.k === 'bool' && open.v ? r.plain : r.trees[0];
	return filled(form, bound);
}

/** The tree that an item says. */
export function conditionItemTree(i: ConditionItem): Expr {
	if (i.k === 'row') return rowTree(i);
	if (i.k === 'formula' || i.of) return i.of!;
	const items = i.items.map(conditionItemTree);
	if (i.how === 'all') return { k: 'and', items };
	if (i.how === 'any') return { k: 'or', items };
	return { k: 'call', fn: 'not', args: [{ k: 'or', items }] };
}

/** The condition that a list says; null for an empty one. */
export function conditionTree(g: ConditionGroup): Expr | null {
	if (!g.items.length) return null;
	if (g.how === 'all' && g.items.length === 1) return conditionItemTree(g.items[0]);
	return conditionItemTree(g);
}

// ── Editing ──────────────────────────────────────────────────────────────────────────────────────

/** The list with the items of one of its groups changed; a group that loses its last one goes with it. */
function inGroup(
	g: ConditionGroup,
	path: ConditionPath,
	change: (items: ConditionItem[]) => ConditionItem[]
): ConditionGroup {
	if (!path.length) return { k: 'group', how: g.how, items: change(g.items) };
	const [at, ...rest] = path;
	const inner = g.items[at];
	if (inner?.k !== 'group') return g;
	const next = inGroup(inner, rest, change);
	const items = g.items.flatMap((x, i) => (i !== at ? [x] : next.items.length ? [next] : []));
	return { k: 'group', how: g.how, items };
}

const split = (path: ConditionPath): [ConditionPath, number] => [path.slice(0, -1), path.at(-1)!];

/** The list with the item at a place replaced. */
export function withItem(
	g: ConditionGroup,
	path: ConditionPath,
	item: ConditionItem
): ConditionGroup {
	if (!path.length) return item.k === 'group' ? item : g;
	const [group, at] = split(path);
	return inGroup(g, group, (items) => items.map((x, i) => (i === at ? item : x)));
}

/** The list with an item put into the group at a place, behind the others or at a zero-based place. */
export const withAdded = (
	g: ConditionGroup,
	group: ConditionPath,
	item: ConditionItem,
	at?: number
): ConditionGroup => inGroup(g, group, (items) => items.toSpliced(at ?? items.length, 0, item));

/** The list without the item at a place. */
export function withoutItem(g: ConditionGroup, path: ConditionPath): ConditionGroup {
	const [group, at] = split(path);
	return inGroup(g, group, (items) => items.toSpliced(at, 1));
}

/** The list with the group at a place held together another way. */
export function withHow(g: ConditionGroup, path: ConditionPath, how: How): ConditionGroup {
	if (!path.length) return { k: 'group', how, items: g.items };
	const [at, ...rest] = path;
	const inner = g.items[at];
	if (inner?.k !== 'group') return g;
	return withItem({ ...g, of: undefined }, [at], withHow(inner, rest, how));
}

/** A row of which nothing is said yet. */
export const openRow = (): ConditionRow => ({
	k: 'row',
	subject: HOLE,
	relation: 'is',
	operands: [[HOLE]]
});

const emptyOperand = (r: Relation['operands'][number]): Expr[] => {
	if (r.kind === 'filter') return [ANY_OF_THEM];
	if (r.kind === 'days') return [{ k: 'at', v: 'P30D' }];
	return r.kind === 'count' ? [{ k: 'num', v: '1' }] : [HOLE];
};

/**
 * A row about something else. What was said of the other stays where it can be said of this too: the
 * same relation, and values where both are of one list, one record type or one simple kind.
 */
export function withSubject(row: ConditionRow, subject: Expr, schema: Schema): ConditionRow {
	const kind = kindOfSubject(subject, schema);
	if (!kind) return { ...row, subject, of: undefined };
	const fitting = relationsFor(kind, isOwnField(subject));
	const same = kindOfSubject(row.subject, schema) === kind;
	const had = fitting.find((r) => r.id === row.relation && (same || !r.operands.length));
	const next = had ?? relationOf(FIRST[kind]);
	const [before, after] = [fieldOfSubject(row.subject, schema), fieldOfSubject(subject, schema)];
	const alike =
		!!before &&
		!!after &&
		KIND[before.type] === KIND[after.type] &&
		before.list === after.list &&
		before.target === after.target;
	const operands = next.operands.map((o, i) =>
		had && (alike || !['value', 'values', 'option', 'filter'].includes(o.kind))
			? row.operands[i]
			: emptyOperand(o)
	);
	return { k: 'row', subject, relation: next.id, operands };
}

/** What a row about a subject begins with: what is asked most. */
const FIRST: Record<SubjectKind, string> = {
	text: 'is',
	number: 'is at least',
	date: 'is after',
	moment: 'is after the day',
	yesno: 'is yes',
	choice: 'is',
	choices: 'contains any of',
	link: 'is',
	related: 'some'
};

/** A row that says another relation; operands of the same sort stay. */
export function withRelation(row: ConditionRow, id: string): ConditionRow {
	const [had, next] = [relationOf(row.relation), relationOf(id)];
	const left = had.operands.map((o, i) => ({ kind: o.kind, xs: row.operands[i] as Expr[] | null }));
	const operands = next.operands.map((o) => {
		const several = o.kind === 'values';
		const same = left.find(
			(l) => l.xs && (l.kind === o.kind || (valueLike(l.kind) && valueLike(o.kind)))
		);
		if (!same) return emptyOperand(o);
		const xs = same.xs!;
		same.xs = null;
		return several ? xs : xs.slice(0, 1);
	});
	return { k: 'row', subject: row.subject, relation: id, operands };
}

const valueLike = (kind: string) => ['value', 'values', 'option'].includes(kind);

/** A row with one of its operands replaced. */
export const withOperand = (row: ConditionRow, at: number, xs: Expr[]): ConditionRow => ({
	k: 'row',
	subject: row.subject,
	relation: row.relation,
	operands: row.operands.map((o, i) => (i === at ? (xs.length ? xs : [HOLE]) : o))
});
