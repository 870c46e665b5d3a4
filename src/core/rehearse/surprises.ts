/** What somebody who knows only which rules were edited would not expect of a rehearsal, worst first. */
import type { Differing } from '../compare/differing';
import { changedRules } from '../compare/rules';
import type { Rule, RuleSet } from '../document/rules';
import { kindOf } from '../kinds';
import type { Claim, Plan } from '../plan/plan';
import type { Rehearsal } from './count';
import type { Retold } from './retold';

/** Fields that differ although no rule of theirs does, each with the edited fields that it follows from. */
export type FollowsFrom = Record<string, string[]>;

/** @returns by `type.field` */
export function followsFrom({ fields, edited, sources }: Differing): FollowsFrom {
	const out: FollowsFrom = {};
	for (const field of fields) {
		if (edited.has(field)) continue;
		const seen = new Set([field]);
		const found: string[] = [];
		for (const at of seen)
			for (const s of sources(at)) {
				if (seen.has(s)) continue;
				// what lies behind an edited field is not what it follows from
				if (edited.has(s)) found.push(s);
				else seen.add(s);
			}
		out[field] = [...new Set(found)];
	}
	return out;
}

/** An edited rule of which a rehearsal on request shows nothing, or not all. */
export interface Unrehearsed {
	rule: string;
	name: string;
	why: 'event' | 'once' | 'fill' | 'message' | 'not on request' | 'no difference';
}

/** The rules that differ, and on existing records do not run on request. */
export function unrehearsed(before: RuleSet, after: RuleSet, plan: Plan): Unrehearsed[] {
	const claims = new Map<string, Claim[]>();
	for (const c of plan.claims.values())
		claims.set(c.rule.id, [...(claims.get(c.rule.id) ?? []), c]);
	const byId = new Map(after.rules.map((r) => [r.id, r]));
	return changedRules(before, after).flatMap(({ id, part, what, name }) => {
		const rule = byId.get(id);
		if (part !== 'rule' || what === 'removed' || !rule || rule.off) return [];
		const why = whyNot(rule, claims.get(id) ?? []);
		return why ? [{ rule: id, name, why }] : [];
	});
}

/** The edited rules by which nothing of a replay came out otherwise. @param seen the claims by which something did */
export function unmet(
	before: RuleSet,
	after: RuleSet,
	seen: readonly (string | null)[]
): Unrehearsed[] {
	const rules = new Set(seen.map((c) => c?.slice(0, c.indexOf(':'))));
	return changedRules(before, after).flatMap(({ id, part, name }) =>
		part === 'rule' && !rules.has(id) ? [{ rule: id, name, why: 'no difference' as const }] : []
	);
}

function whyNot(rule: Rule, claims: readonly Claim[]): Unrehearsed['why'] | null {
	if (kindOf(rule.body).does === 'sends') return 'message';
	if (claims.some((c) => c.eventful)) return 'event';
	if (claims.some((c) => c.output.hold === 'once')) return 'once';
	if (claims.some((c) => c.output.hold === 'fill')) return 'fill';
	if (claims.length && !rule.moments.includes('request')) return 'not on request';
	return null;
}

/** A surprise: `key` names it within its rehearsal. */
export type Surprise = { key: string; count: number } & (
	| { kind: 'overwritten' | 'blanked'; type: string; field: string }
	| { kind: 'follows'; type: string; field: string; from: string[] }
	| { kind: 'refused' | 'sends' | 'unsent' | 'admitted'; type: string; claim: string }
);

/** What a person lost, or is stopped at, stands before what merely moves. */
const WORST: Surprise['kind'][] = [
	'overwritten',
	'refused',
	'blanked',
	'follows',
	'sends',
	'unsent',
	'admitted'
];

/** The surprises of a rehearsal: by what they do to people and data, then by how many records. */
export function surprisesOf(r: Rehearsal & { replay?: Retold }, follows: FollowsFrom): Surprise[] {
	const out: Surprise[] = [];
	for (const { type, field, count, overwritten, blanked } of r.fields) {
		const key = `${type}.${field}`;
		if (overwritten)
			out.push({ kind: 'overwritten', key: `overwritten ${key}`, count: overwritten, type, field });
		if (blanked) out.push({ kind: 'blanked', key: `blanked ${key}`, count: blanked, type, field });
		if (Object.hasOwn(follows, key))
			out.push({ kind: 'follows', key: `follows ${key}`, count, type, field, from: follows[key] });
	}
	const claims = {
		refused: r.refused,
		sends: r.sends,
		unsent: r.replay?.unsent ?? [],
		admitted: r.replay?.admitted ?? []
	};
	for (const kind of ['refused', 'sends', 'unsent', 'admitted'] as const)
		for (const { type, claim, count } of claims[kind])
			out.push({ kind, key: `${kind} ${claim}`, count, type, claim });
	return out.sort((a, b) => WORST.indexOf(a.kind) - WORST.indexOf(b.kind) || b.count - a.count);
}
