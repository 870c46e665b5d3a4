/**
 * A bundle: everything that decides values, with the model it speaks of, its trials, and the keys of the records that it
 * names, as one document that another workspace can take.
 */
import type { JsonValue } from '../document/json';
import type { Model } from '../document/model';
import type { RuleSet } from '../document/rules';
import { walk } from '../document/walk';
import type { Schema } from '../document/model';
import { refKey } from '../document/model';
import { writerOf } from '../kinds';
import type { Trial } from '../trials/trials';

/** A record that something in a bundle names, with what others know it by. */
export interface KnownRecord {
	type: string;
	/** Its number in the workspace that the bundle comes from. */
	id: string;
	/** What it is called there, for those who have to find it. */
	title: string;
	/** A field that is a key, and its value; null where it has none. */
	key: { field: string; value: JsonValue } | null;
}

export interface Bundle {
	/** What it holds, for people: `Draft`, `Release 3`. */
	name: string;
	/** The workspace that it comes from. */
	of: string;
	/** When it was made, ISO 8601. */
	made: string;
	model: Model;
	/** Living tables with the rows that stood then, as those that they begin with. */
	set: RuleSet;
	trials: readonly Trial[];
	records: readonly KnownRecord[];
}

/**
 * The records that rules, definitions and rows of tables name: as constants, whoever takes a bundle must know them too.
 * What trials name is made up and travels with them.
 */
export function recordsNamed(set: RuleSet, schema: Schema): { type: string; id: string }[] {
	const out = new Map<string, { type: string; id: string }>();
	const note = (type: string, id: unknown) => {
		if (typeof id === 'string' && id) out.set(refKey(type, id), { type, id });
	};
	walk([set.rules, set.definitions], (e) => {
		if (e.k === 'record') note(e.type, e.id);
	});
	for (const rule of set.rules)
		rule.outputs.forEach((o, i) => {
			const target = schema.field(rule.type, o.field)?.target;
			if (target) for (const v of writerOf(rule.body)?.results(rule.body, i) ?? []) note(target, v);
		});
	for (const table of set.tables ?? [])
		table.columns.forEach((c, i) => {
			if (c.target) for (const row of table.rows) note(c.target, row[i]);
		});
	return [...out.values()];
}
