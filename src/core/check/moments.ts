/** Claims that nothing sets off, or that leave out a moment at which what they read can change. */
import type { Rule } from '../document/rules';
import { claimId } from '../document/rules';
import type { Context } from './context';
import { ofRule } from './context';
import type { Finding } from './types';

/** Findings about when the claims of a rule run, by what they read. */
export function momentFindings(c: Context, rule: Rule): Finding[] {
	return rule.outputs.flatMap((output): Finding[] => {
		const claim = c.plan.claims.get(claimId(rule.id, output.id));
		// Once and Fill act at creation as well as on events, and say so; Locked always holds
		if (!claim || output.hold !== 'follow' || claim.each >= 0 || rule.entering) return [];
		const sets = [...claim.triggers, ...claim.triggersSent];
		const of = (is: 'set off by nothing' | 'narrow moment' | 'leaves out reached records') => ({
			...ofRule(rule, is, 'outputs' as const, output.id),
			field: output.field
		});
		const { moments } = rule;
		if (!sets.length && !claim.reached.length && moments.includes('changed') && !rule.watch)
			return [
				{
					...of('set off by nothing'),
					message: `Nothing sets it going once a record is there: it reads ${claim.outside.has('today') ? 'no field but the day' : 'no field'}, so ${claim.field.label} is set at creation and then left.`,
					certificate: 'the fields that it reads or watches: none'
				}
			];
		const { fields } = c.schema.type(rule.type).type;
		const [away] = claim.reached.map((r) => c.schema.field(r.type, r.field)?.label);
		if (rule.submittedOnly && away !== undefined)
			return [
				{
					...of('leaves out reached records'),
					message: `It leaves out records that another change reaches, and ${away} of another record can change: ${claim.field.label} then stays as it was.`,
					certificate: 'what it reads of other records'
				}
			];
		if (claim.eventful || rule.watch) return [];
		const label = sets.map((i) => fields[i].label)[0] ?? away;
		if (label === undefined) return [];
		if (moments.includes('changed') && !moments.includes('created'))
			return [
				{
					...of('narrow moment'),
					message: `It takes changes only, and a new record may come with ${label}: ${claim.field.label} then stays without its value.`,
					certificate: 'the moments of the rule, beside the fields that it reads'
				}
			];
		if (moments.includes('changed') || !moments.includes('created')) return [];
		return [
			{
				...of('narrow moment'),
				message: `It takes new records only, and ${label} can change afterwards: ${claim.field.label} then stays as it was.`,
				certificate: 'the moments of the rule, beside the fields that it reads'
			}
		];
	});
}
