/** Which trials an edit of the rules can make come out otherwise: the others need not run again. */
import { touching } from './differing';
import { refKey } from '../document/model';
import type { Plan } from '../plan/types';
import type { Expectation, Trial } from '../trials/trials';

/**
 * Tells of a trial whether it can come out otherwise by one of two rule sets, by what it expects. Any other gives
 * the very same by both, but where a change runs out of its steps.
 */
export function touchedTrials(before: Plan, after: Plan): (trial: Trial) => boolean {
	const { fields, checks, messages, parts, all } = touching(before, after);
	if (all) return () => true;
	if (!fields.size && !checks.size && !messages.size && !parts.size) return () => false;
	const types = new Set([...fields].map((k) => k.slice(0, k.indexOf('.'))));
	/** The fields of rules, by either side. */
	const written = new Map<string, Set<string>>();
	for (const { claims } of [before, after])
		for (const c of claims.values())
			written.set(
				c.rule.id,
				(written.get(c.rule.id) ?? new Set()).add(refKey(c.rule.type, c.field.id))
			);
	return (t) => {
		const expected: Expectation[] = [t, ...(t.then ?? []), ...(t.rows ?? [])].flatMap(
			(s) => s.expect
		);
		if (checks.has(t.type)) return true;
		// rows that are others than those it keeps are told of it
		if (t.finds?.some((f) => parts.has(f.table))) return true;
		// what a change ran on to may be of any type
		if (expected.some((x) => 'at' in x && x.at)) return true;
		const any = types.has(t.type);
		// a value that fails may refuse a change, and then the next one goes out from what was before
		if (any && t.then?.length) return true;
		return expected.some((x) => {
			if ('refused' in x) return any;
			if ('messages' in x) return any || messages.has(t.type);
			if ('rule' in x)
				return messages.has(t.type) || [...(written.get(x.rule) ?? [])].some((k) => fields.has(k));
			return fields.has(refKey(t.type, x.field));
		});
	};
}
