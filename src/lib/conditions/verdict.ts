/** What a condition made of the sample, in words. */
import type { ClaimReport, Field, JsonValue, Schema } from '$core';
import { toJson } from '$core';

export type SeenPart = NonNullable<ClaimReport['guard']>[number];
type SayField = (field: Field, value: JsonValue) => string;

export interface Verdict {
	is: 'holds' | 'does not' | 'unknown';
	/** With what was in it: `New → Qualified`, `Customer is blank`. */
	said: string;
}

/** @param blankCounts the row holds for a blank */
export function verdictOf(
	part: SeenPart,
	schema: Schema,
	say: SayField,
	blankCounts: boolean
): Verdict {
	const is = part.result === true ? 'holds' : part.result === false ? 'does not' : 'unknown';
	const label = (v: SeenPart['values'][number]) =>
		[...v.via, v].map((x) => schema.field(x.type, x.field)?.label ?? x.field).join(' › ');
	const text = (v: SeenPart['values'][number]) => {
		const field = schema.field(v.type, v.field);
		return v.value === null || !field ? 'blank' : say(field, toJson(v.value));
	};
	const blank = part.values.find((v) => v.value === null);
	if (is === 'unknown') return { is, said: blank ? `${label(blank)} is blank` : 'cannot be told' };
	const said: string[] = [];
	for (const v of part.values) {
		const same = (x: typeof v) =>
			x !== v && x.type === v.type && x.field === v.field && !x.via.length && !v.via.length;
		const now = part.values.find((x) => same(x) && x.image !== 'was');
		if (v.image === 'was' && now) said.push(`${text(v)} → ${text(now)}`);
		else if (v.image === 'was' || !part.values.some((x) => same(x) && x.image === 'was'))
			said.push(part.values.length > 1 ? `${label(v)} ${text(v)}` : text(v));
	}
	if (is === 'holds' && blankCounts && blank) said.push('(blank counts)');
	return { is, said: [...new Set(said)].join(', ') };
}
