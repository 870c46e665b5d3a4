/** Which records a condition selects, for a rehearsal and for a list. */
import type { Schema } from '../document/model';
import type { Formula, Rule } from '../document/rules';
import type { Expr } from '../document/tree';
import { readFormula } from '../feel/read-formula';
import type { Problem } from '../plan/types';
import { compilePlan, type Plan } from '../plan/plan';
import { settle } from '../settle/settle';
import type { Change, Loader, Need, SubmittedRecord } from '../settle/types';
import type { ZoneClock } from '../value/temporal';
import type { Value } from '../value/value';

/** A condition on the stored values of the records of one type. */
export interface Selection {
	type: string;
	condition: Formula;
}

/** A selection that was compiled. */
export interface Selector {
	type: string;
	/** Holds one rule, which says its message where the condition is true. */
	plan: Plan;
	/** The condition, its names bound; null for one that cannot be read. */
	expr: Expr | null;
	/** Fields of which it asks what they were, or whether they changed. */
	events: readonly string[];
}

/** Compiles a selection. Of one with problems the places and what would be right are told. */
export function compileSelection(
	schema: Schema,
	{ type, condition }: Selection
): { selector: Selector; problems: readonly Problem[] } {
	const rule: Rule = {
		id: 'selects',
		name: 'Selects',
		why: '',
		kind: 'validate',
		type,
		moments: ['created', 'changed', 'request'],
		entryPoints: null,
		watch: null,
		entering: false,
		guard: condition,
		outputs: [
			{ id: 'o', field: schema.type(type).type.fields[0].id, hold: 'follow', none: 'next' }
		],
		body: {
			kind: 'check',
			holds: { text: 'false' },
			message: ['Selected.'],
			blocking: false,
			always: true
		}
	};
	const plan = compilePlan(schema, {
		rules: [rule],
		order: {},
		definitions: [...schema.definitions.values()],
		tables: [...schema.tables.values()]
	});
	const expr = readFormula(condition, { schema, type }).compiled?.expr ?? null;
	const events = expr ? [...eventFields(expr)] : [];
	return { selector: { type, plan, expr, events }, problems: plan.problems };
}

/** What asks about a change. */
const EVENTS: ReadonlySet<string> = new Set(['changed', 'moved', 'moved forward', 'moved back']);

/** The fields of which a condition asks what they were, or whether they changed. */
function eventFields(e: Expr): Set<string> {
	const out = new Set<string>();
	const visit = (x: unknown, asked: boolean): void => {
		if (typeof x !== 'object' || x === null) return;
		const node = x as Partial<Expr>;
		if (node.k === 'field' && (asked || node.image === 'was')) out.add(node.field!);
		const event = node.k === 'call' && EVENTS.has(node.fn!);
		for (const inner of Object.values(x)) visit(inner, asked || event);
	};
	visit(e, false);
	return out;
}

/** The selection of the records of which a condition cannot be told: neither true nor false. */
export const untold = (expr: Expr): Formula => ({
	expr: { k: 'call', fn: 'is blank', args: [expr] }
});

/** A record as it is stored, for looking at it without changing anything. */
export const untouched = (
	type: string,
	id: string,
	values: readonly Value[],
	more: Partial<SubmittedRecord> = {}
): SubmittedRecord => ({
	type,
	id,
	created: false,
	was: values,
	sent: new Map(),
	keep: new Set(),
	inLine: true,
	...more
});

/** A look at some records, by nobody. */
export const lookAt = (
	records: readonly SubmittedRecord[],
	instant: number,
	entryPoint: Change['entryPoint'] = 'bulk',
	person: string | null = null
): Change => ({ records, entryPoint, instant, person });

/** A record that is looked at. */
export interface Selectable {
	id: string;
	values: readonly Value[];
	/** What fields were before their change, for conditions that ask for it; of the others none changed. */
	before?: ReadonlyMap<string, Value>;
}

/**
 * Whether a selection takes a record: where its condition cannot be told, it does not.
 * @param person the record of the person who looks
 * @returns what was missing to tell it, where anything was
 */
export function selects(
	{ type, plan }: Selector,
	{ id, values, before }: Selectable,
	instant: number,
	loader: Loader,
	zones: ZoneClock,
	person: string | null = null
): boolean | Need[] {
	const { at } = plan.schema.type(type);
	let record = untouched(type, id, values);
	if (before?.size) {
		const was = [...values];
		const sent = new Map<string, Value>();
		for (const [field, value] of before) {
			const i = at.get(field)!;
			was[i] = value;
			sent.set(field, values[i]);
		}
		record = { ...record, was, sent };
	}
	const change = lookAt([record], instant, 'bulk', person);
	const { records, needs } = settle(plan, change, loader, { zones, alone: true });
	return needs.length ? needs : records[0].messages.length > 0;
}
