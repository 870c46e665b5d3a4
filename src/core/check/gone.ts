/** What is retired or no longer there, and that definitions, tables, forms and trials still use. Rules are looked at one by one. */
import type { ReferenceTable, Schema } from '../document/model';
import { walk } from '../document/walk';
import { compileDefinition } from '../feel/compile';
import type { Trial } from '../trials/trials';
import { namedIn } from '../trials/words';
import type { Finding } from './types';
import { ofPart } from './vocabulary';

const OPTION = 'the option is marked as retired';
const MODEL = 'the model as it stands';

/** Retired fields and options that definitions speak of. */
export function goneFromDefinitions(schema: Schema): Finding[] {
	return [...schema.definitions.values()].flatMap((d) => {
		const part = { kind: 'definition' as const, id: d.id };
		const found = new Map<string, Finding>();
		// as it is compiled, so that texts are the options they stand for
		walk(compileDefinition(d, schema).expr, (e) => {
			if (e.k === 'field' || e.k === 'through') {
				const f = schema.field(e.type, e.field);
				if (f?.retired)
					found.set(`${e.type}.${e.field}`, {
						...ofPart(part, 'retired field', `${e.type}-${e.field}`),
						certificate: MODEL,
						message: `“${d.name}” speaks of ${f.label}, which is retired.`
					});
			}
			if (e.k !== 'option') return;
			const o = schema.option(e.list, e.option);
			if (o?.retired)
				found.set(`${e.list} ${e.option}`, {
					...ofPart(part, 'retired option', `${e.list}-${e.option}`),
					certificate: OPTION,
					message: `“${d.name}” speaks of “${o.label}” of ${schema.lists.get(e.list)!.label}, which is retired and cannot be chosen anew.`
				});
		});
		return [...found.values()];
	});
}

/** Retired options that rows of a table give or ask for: one finding a column and option. */
export function goneFromTable(t: ReferenceTable, schema: Schema): Finding[] {
	return t.columns.flatMap((column, i): Finding[] => {
		if (!column.list) return [];
		const rows = new Map<string, number[]>();
		t.rows.forEach((row, r) => {
			const v = row[i];
			if (typeof v !== 'string' || !schema.option(column.list!, v)?.retired) return;
			const at = rows.get(v);
			if (at) at.push(r);
			else rows.set(v, [r]);
		});
		return [...rows].map(([option, at]) => {
			const { label } = schema.option(column.list!, option)!;
			const more = at.length > 1 ? ` and ${at.length - 1} more` : '';
			return {
				...ofPart(
					{ kind: 'table', id: t.id, row: at[0] },
					'retired option',
					`${column.id}-${option}`
				),
				certificate: OPTION,
				message: `${t.label}: row ${at[0] + 1}${more} ${at.length > 1 ? 'have' : 'has'} “${label}” as ${column.label}, which is retired and cannot be chosen anew.`
			};
		});
	});
}

/** Retired fields in the short form and the list of a record type. */
export function goneFromForms(schema: Schema): Finding[] {
	return schema.model.types.flatMap((t) =>
		(
			[
				['short', `The short form of ${t.label}`],
				['columns', `The list of ${t.plural.toLowerCase()}`]
			] as const
		).flatMap(([where, what]) =>
			t[where].flatMap((id): Finding[] => {
				const f = schema.field(t.id, id);
				if (f && !f.retired) return [];
				return [
					{
						...ofPart({ kind: 'type', id: t.id }, 'retired field', `${where}-${id}`),
						certificate: MODEL,
						message: `${what} has ${f?.label ?? `“${id}”`}, which is ${f ? 'retired' : 'no longer there'}.`
					}
				];
			})
		)
	);
}

/** What trials send, hold or expect, and that is retired or no longer there: one finding a trial and thing. */
export function goneFromTrials(trials: readonly Trial[], schema: Schema): Finding[] {
	return trials.flatMap((t) => {
		const found = new Map<string, Finding>();
		const add = (at: string, what: string) =>
			found.set(at, {
				...ofPart({ kind: 'trial', id: t.id }, 'trial of what is gone', at),
				certificate: MODEL,
				message: `“${t.name}” speaks of ${what}.`
			});
		if (!schema.types.has(t.type)) {
			add(t.type, `the record type “${t.type}”, which is no longer there`);
			return [...found.values()];
		}
		const look = (type: string, id: string, value: unknown, asked: boolean) => {
			const f = schema.field(type, id);
			if (!f) return add(`${type}-${id}`, `the field “${id}”, which is no longer there`);
			if (f.retired) add(`${type}-${id}`, `${f.label}, which is retired`);
			// what a stored record holds may be retired: there it stays
			for (const v of f.list && asked ? [value].flat() : []) {
				if (typeof v !== 'string') continue;
				const o = schema.option(f.list!, v);
				if (!o) add(`${f.list}-${v}`, `the option “${v}” of ${f.label}, which is no longer there`);
				else if (o.retired) add(`${f.list}-${v}`, `“${o.label}” of ${f.label}, which is retired`);
			}
		};
		for (const n of namedIn(t))
			if (schema.types.has(n.type))
				look(n.type, n.field, n.value, n.as === 'sent' || n.as === 'expected');
		return [...found.values()];
	});
}
