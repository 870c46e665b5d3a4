/** What can be spoken of from a record: its fields, those behind its links, and the records that point to it. */
import type { Field, Schema } from '../document/model';
import type { Expr } from '../document/tree';

export interface WayTo {
	expr: Expr;
	/** The label of the field, or what the records at the other side of a link are called. */
	label: string;
	/** The labels of the links on the way. */
	through: string[];
	/** The field; null for the records at the other side of a link. */
	field: Field | null;
	/** The record type of those records. */
	related?: string;
}

/** How many links are followed. */
const FARTHEST = 2;

/**
 * All of it, the record's own first, then what lies behind one link, then behind two. What is retired is
 * left out.
 * @param item where it is not the record at hand that is spoken of, but an item of a list
 */
export function waysFrom(schema: Schema, type: string, item = false): WayTo[] {
	const root: Expr | null = item ? { k: 'var', name: 'item' } : null;
	const out: WayTo[][] = Array.from({ length: FARTHEST + 1 }, () => []);
	const visit = (at: string, of: Expr | null, through: string[]) => {
		const t = schema.types.get(at);
		if (!t) return;
		const here = out[through.length];
		for (const f of t.type.fields) {
			if (f.retired) continue;
			const expr: Expr = of
				? { k: 'through', of, type: at, field: f.id }
				: { k: 'field', image: 'settled', type: at, field: f.id };
			here.push({ expr, label: f.label, through, field: f });
			if (f.type === 'link' && f.target && through.length < FARTHEST)
				visit(f.target, expr, [...through, f.label]);
		}
		if (through.length < FARTHEST)
			for (const c of t.collections)
				here.push({
					expr: { k: 'related', of, type: c.type, field: c.field },
					label: c.label,
					through,
					field: null,
					related: c.type
				});
	};
	visit(type, root, []);
	return out.flat();
}
