/** Which records a condition selects. */
import type { Schema } from '../document/model';
import type { Formula, Rule } from '../document/rules';
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
	return { selector: { type, plan }, problems: plan.problems };
}

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
	entryPoint: Change['entryPoint'] = 'bulk'
): Change => ({ records, entryPoint, instant, person: null });

/**
 * Whether a selection takes a record: where its condition cannot be told, it does not.
 * @returns what was missing to tell it, where anything was
 */
export function selects(
	{ type, plan }: Selector,
	record: { id: string; values: readonly Value[] },
	instant: number,
	loader: Loader,
	zones: ZoneClock
): boolean | Need[] {
	const change = lookAt([untouched(type, record.id, record.values)], instant);
	const { records, needs } = settle(plan, change, loader, { zones, alone: true });
	return needs.length ? needs : records[0].messages.length > 0;
}
