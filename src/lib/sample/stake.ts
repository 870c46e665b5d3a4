/** Which fields of a sample matter on a sheet. */
import { kindOf, type Field } from '$core';
import type { Sample, Workbench } from '../work/workbench.svelte';

/** The field of the sheet, what its rules read of the record, and what was changed; in the order of the type. */
export function fieldsAtStake(w: Workbench, s: Sample, field: string): Field[] {
	const ids = new Set<string>();
	const { messages } = w.shown.plan;
	for (const r of w.rulesOf(s.type, field)) {
		const claims = r.outputs.map(
			(o) =>
				w.shown.plan.claims.get(`${r.id}:${o.id}`) ?? w.shown.plan.validators.get(`${r.id}:${o.id}`)
		);
		const message = messages.find((m) => m.rule.id === r.id);
		for (const ref of message?.reads ?? []) {
			if (ref.type === s.type) ids.add(ref.field);
			if (ref.via[0]?.type === s.type) ids.add(ref.via[0].field);
		}
		for (const c of claims)
			for (const ref of c?.reads ?? []) if (ref.type === s.type) ids.add(ref.field);
		ids.add(kindOf(r.body).source(r.body) ?? '');
		for (const x of r.watch ?? []) ids.add(x);
	}
	for (const [id] of s.sent) ids.add(id);
	return w.schema.type(s.type).type.fields.filter((x) => ids.has(x.id) || x.id === field);
}
