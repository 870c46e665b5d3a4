/** What is told from the records behind a link, as a sentence: the sum of Amount of the deals where …. */
import type { Field, Schema } from '../document/model';
import type { Expr } from '../document/tree';
import { HOLE, kindOfSubject } from './list';

export const ROLLUPS = ['count', 'sum', 'mean', 'min', 'max', 'string join'] as const;
export type RollupHow = (typeof ROLLUPS)[number];

export interface Rollup {
	how: RollupHow;
	/** The records it is told from. */
	related: Expr;
	/** Which of them count; null for all. */
	filter: Expr | null;
	/** The field that is told; null for their number, and where it is not said yet. */
	field: string | null;
}

/** The type of the records that an expression gives, where it is all those behind a link. */
export const relatedType = (e: Expr): string | null => (e.k === 'related' ? e.type : null);

/** Which fields can be told so. */
export function rollupFits(how: RollupHow, f: Pick<Field, 'type'>): boolean {
	if (how === 'count') return false;
	if (how === 'sum' || how === 'mean') return ['number', 'money', 'percent'].includes(f.type);
	if (how === 'string join') return ['text', 'email', 'phone'].includes(f.type);
	return ['number', 'money', 'percent', 'date', 'moment'].includes(f.type);
}

/** What a roll-up tells is called after what it tells of: the latest of days, the largest of numbers. */
export function rollupLabel(how: RollupHow, field: Pick<Field, 'type'> | null): string {
	const days = field?.type === 'date' || field?.type === 'moment';
	switch (how) {
		case 'count':
			return 'the number of';
		case 'sum':
			return 'the sum of';
		case 'mean':
			return 'the average of';
		case 'min':
			return days ? 'the earliest' : 'the smallest';
		case 'max':
			return days ? 'the latest' : 'the largest';
		case 'string join':
			return 'the list of';
	}
}

/** The roll-up that a tree says; null where it says something else. */
export function rollupOf(e: Expr, schema: Schema): Rollup | null {
	if (e.k !== 'call' || e.names || !ROLLUPS.includes(e.fn as RollupHow)) return null;
	const how = e.fn as RollupHow;
	const [of, separator] = e.args;
	if (!of || e.args.length > (how === 'string join' ? 2 : 1)) return null;
	if (how === 'string join' && !(separator?.k === 'text' && separator.v === ', ')) return null;
	if (how === 'count') return recordsOf(of, schema, how, null);
	if (of.k === 'for' && of.its.length === 1 && of.body.k === 'hole')
		return recordsOf(of.its[0].of, schema, how, null);
	return of.k === 'through'
		? recordsOf(of.of, schema, how, of.field)
		: recordsOf(of, schema, how, null);
}

function recordsOf(e: Expr, schema: Schema, how: RollupHow, field: string | null): Rollup | null {
	const [related, filter] = e.k === 'filter' ? [e.of, e.by] : [e, null];
	return kindOfSubject(related, schema) === 'related' ? { how, related, filter, field } : null;
}

/** The tree that a roll-up says. A field that is not said yet leaves a hole. */
export function rollupTree({ how, related, filter, field }: Rollup): Expr {
	const records: Expr = filter ? { k: 'filter', of: related, by: filter } : related;
	if (how === 'count') return { k: 'call', fn: how, args: [records] };
	const type = relatedType(related);
	if (field === null || type === null)
		return {
			k: 'call',
			fn: how,
			args: [{ k: 'for', its: [{ name: 'item', of: records, to: null }], body: HOLE }]
		};
	const told: Expr = { k: 'through', of: records, type, field };
	return {
		k: 'call',
		fn: how,
		args: how === 'string join' ? [told, { k: 'text', v: ', ' }] : [told]
	};
}
