/** Rules that were set off and came to nothing, where somebody may wait for their value. */
import { rulesOfRecord, type Plan } from '../plan/plan';
import type { ClaimReport, Outcome, SettledRecord } from '../settle/settle';
import { isBlank } from '../value/value';

/** Outcomes of a rule that looked for something and did not find the one. */
const TO_NOTHING: ReadonlySet<Outcome> = new Set<Outcome>([
	'no row',
	'several rows',
	'no result',
	'left'
]);

/**
 * Of each field that no rule gave a value and that is not filled otherwise: the first rule that was set
 * off and came to nothing. The record must have been settled with its reports.
 */
export function cameToNothing(plan: Plan, rec: SettledRecord): ClaimReport[] {
	const out = new Map<string, ClaimReport>();
	const { claims } = rulesOfRecord(plan, rec);
	for (const r of rec.reports) {
		if (!TO_NOTHING.has(r.outcome) || !claims.has(r.claim) || out.has(r.field)) continue;
		// what another rule gave, or a person sent, stands, and nobody waits for this one's
		if (rec.changes.some((c) => c.field === r.field && (c.claim || !isBlank(c.to)))) continue;
		if (rec.reports.some((x) => x.field === r.field && GAVE.has(x.outcome))) continue;
		// what waits for an input that is blank yet is no surprise
		if (r.reads?.some((x) => x.value === null)) continue;
		out.set(r.field, r);
	}
	return [...out.values()];
}

/** Outcomes of a condition that kept a rule out. */
const CONDITION: ReadonlySet<Outcome> = new Set<Outcome>([
	'guard false',
	'guard unknown',
	'did not come to hold'
]);

/**
 * The rules whose reasons are told when a change is kept: those that gave a value or sent something,
 * those that came to nothing, and those that their condition kept out.
 * @param nothing those that came to nothing, where they are known
 */
export function toldOf(
	plan: Plan,
	rec: SettledRecord,
	nothing: readonly ClaimReport[] = cameToNothing(plan, rec)
): ClaimReport[] {
	const wrote = new Set(rec.changes.map((c) => c.claim));
	return rec.reports.filter(
		(r) =>
			r.outcome === 'sends' || CONDITION.has(r.outcome) || nothing.includes(r) || wrote.has(r.claim)
	);
}

/** Outcomes by which another rule of the field has the say. */
const GAVE: ReadonlySet<Outcome> = new Set<Outcome>([
	'wrote',
	'same value',
	'cleared',
	'kept',
	'not blank',
	'given at creation'
]);
