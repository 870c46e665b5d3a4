/** Figures of the records behind a link, as whoever stores the records would tell them: of what is stored alone. */
import type { Loader, RollUp, Rolled, Schema, Value } from '../src/core';
import { ENDS, FIRST } from '../src/core';
import { order } from '../src/core/value/value';
import * as n from '../src/core/value/num';
import { zones } from '../src/runtime/zones';

export interface Stored {
	type: string;
	id: string;
	values: readonly Value[];
}

/** Each record looked at, as the core itself would. */
export function figuresOf(
	schema: Schema,
	of: RollUp,
	id: string,
	stored: readonly Stored[]
): Rolled {
	const { at } = schema.type(of.type);
	const all = stored.filter((r) => r.type === of.type && r.values[at.get(of.link)!] === id);
	const some = all.filter((r) => {
		const rec = { type: r.type, id: r.id, was: r.values, sent: r.values, settled: r.values };
		const env = { rec, vars: [], steps: 1e6, depth: 0, zones, zone: schema.model.zone };
		return !of.holds || of.holds(env as never) === true;
	});
	const values = some
		.map((r) => (of.field === null ? null : r.values[at.get(of.field)!]))
		.filter((v) => v !== null);
	const sign = of.fn === 'max' ? -1 : 1;
	const numbers = of.fn === 'sum' || of.fn === 'mean';
	const ends = of.fn === 'min' || of.fn === 'max';
	return {
		all: all.length,
		n: some.length,
		filled: values.length,
		sum: numbers
			? (values as n.Num[]).reduce<n.Num | null>((a, b) => n.add(a ?? n.num(0), b), null)
			: null,
		first: all.map((r) => r.id).slice(0, FIRST),
		ends: ends ? values.sort((a, b) => order(a, b)! * sign).slice(0, ENDS) : []
	};
}

/** A loader of stored records that tells figures of them. */
export const withFigures = (schema: Schema, loader: Loader, stored: readonly Stored[]): Loader => ({
	...loader,
	rolledUp: (of, id) => ({ rolled: figuresOf(schema, of, id, stored), made: new Map() })
});
