/** What the pilot decides otherwise than the release beside it: the same change settled by that one alone. */
import type { Change, Loader, Plan, Settled, SettledRecord } from '../../core';
import { MESSAGES, refKey, same, settle, toJson, type Need } from '../../core';
import { zones } from '../../runtime/zones';
import type { Difference } from '../db/pilot';

const without = new WeakMap<Plan, Plan>();

/** The rules beside the pilot's, for all records. */
export function besideOf(plan: Plan): Plan {
	const had = without.get(plan);
	if (had) return had;
	const { pilot: _, ...beside } = plan;
	without.set(plan, beside);
	return beside;
}

/** Settles a change as if there were no pilot. @param fill loads what that lacks */
export async function settledBeside(
	plan: Plan,
	change: Change,
	fill: (needs: (loader: Loader) => readonly Need[]) => Promise<void>,
	most?: number
): Promise<Settled> {
	let settled!: Settled;
	const options = { zones, ...(most === undefined ? {} : { most }) };
	await fill((loader) => (settled = settle(besideOf(plan), change, loader, options)).needs);
	return settled;
}

/** The blocking messages by which a change is refused. */
const refusing = ({ records }: Settled) =>
	records.flatMap((rec) =>
		rec.reached ? [] : rec.messages.filter((m) => m.blocking).map((m) => ({ rec, m }))
	);

const refusals = (settled: Settled, kind: 'refused' | 'let through'): Difference[] =>
	refusing(settled).map(({ rec, m }) => ({
		type: rec.type,
		record: rec.created && kind === 'refused' ? null : rec.id,
		kind,
		field: m.field,
		beside: null,
		gave: null,
		message: m.text
	}));

/** What differs between a change that the pilot had a part in, and the same without it. */
export function apartOf(
	settled: Settled,
	beside: Settled,
	fieldsOf: (type: string) => readonly string[]
): Difference[] {
	const refused = refusing(settled).length > 0;
	if (refused) return refusing(beside).length ? [] : refusals(settled, 'refused');
	const theirs = new Map(beside.records.map((r) => [refKey(r.type, r.id), r]));
	const ours = new Map(settled.records.map((r) => [refKey(r.type, r.id), r]));
	const out = refusals(beside, 'let through');
	for (const [key, r] of [...ours, ...[...theirs].filter(([k]) => !ours.has(k))]) {
		const gave = valuesOf(ours.get(key), r);
		const other = valuesOf(theirs.get(key), r);
		for (const [i, field] of fieldsOf(r.type).entries())
			if (!same(gave[i], other[i]))
				out.push({
					type: r.type,
					record: r.id,
					kind: 'value',
					field,
					beside: toJson(other[i]),
					gave: toJson(gave[i]),
					message: null
				});
		// a change that is refused sends nothing
		if (!refusing(beside).length) out.push(...messagesApart(ours.get(key), theirs.get(key)));
	}
	return out;
}

/** What either alone sends at a record: another address, subject or text is another message. */
function messagesApart(
	ours: SettledRecord | undefined,
	theirs: SettledRecord | undefined
): Difference[] {
	const [gave, other] = [ours, theirs].map((rec) =>
		(rec?.sends ?? []).map((m) => ({ m, text: JSON.stringify([m.to, m.subject, m.text]) }))
	);
	const alone = (
		rec: SettledRecord | undefined,
		some: typeof gave,
		others: typeof gave,
		kind: 'sent' | 'unsent'
	): Difference[] => {
		const left = others.map((x) => x.text);
		return some.flatMap(({ m, text }) => {
			const at = left.indexOf(text);
			if (at >= 0) {
				left.splice(at, 1);
				return [];
			}
			const message = `“${m.subject}” to ${m.to}`;
			const of = { type: rec!.type, record: rec!.id, field: MESSAGES, beside: null, gave: null };
			return [{ ...of, kind, message }];
		});
	};
	return [...alone(ours, gave, other, 'sent'), ...alone(theirs, other, gave, 'unsent')];
}

/** What a record comes to; one that is not reached stays as it was. */
const valuesOf = (rec: SettledRecord | undefined, any: SettledRecord) => rec?.values ?? any.was;
