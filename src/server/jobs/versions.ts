/** The two versions that a rehearsal holds against each other, and what is told of them with what it came to. */
import {
	followsFrom,
	ruleOf,
	surprisesOf,
	type Differing,
	type Plan,
	type Rehearsal,
	type Retold,
	type RuleSet,
	type Unrehearsed
} from '../../core';
import { BadInput } from '../../door';
import { namesOf } from '../db/people';
import type { Db } from '../db/pool';
import { readSet, type Asked, type RehearsalResult } from '../db/rehearsals';
import { readDraft, readRelease, rulesOf } from '../db/rules';

const NOTHING: RuleSet = { rules: [], order: {} };

/** The rules of a version. @throws {BadInput} when there is no such release */
export async function rulesOfVersion(
	c: Db,
	workspace: string,
	number: number | null
): Promise<RuleSet> {
	if (number === 0) return NOTHING;
	if (number === null) return (await readDraft(c, workspace)).set;
	const doc = await readRelease(c, workspace, number);
	if (!doc) throw new BadInput(`There is no release ${number}.`);
	return rulesOf(doc);
}

/** The two rule sets that a job holds against each other. @throws {BadInput} when there is no such release */
export const setsOf = (
	c: Db,
	job: { id: string; workspace: string },
	asked: Asked
): Promise<[before: RuleSet, after: RuleSet]> => {
	const of = (side: 'before' | 'after') =>
		asked.file?.as === side ? readSet(c, job.id) : rulesOfVersion(c, job.workspace, asked[side]);
	return Promise.all([of('before'), of('after')]);
};

/** What it came to, with its surprises and with the names of all that it tells of. */
export async function toldOf(
	c: Db,
	result: Rehearsal & { replay?: Retold },
	differing: Differing,
	[before, after]: readonly { set: RuleSet; plan: Plan }[],
	unrehearsed: Unrehearsed[]
): Promise<RehearsalResult> {
	const follows = followsFrom(differing);
	const { replay } = result;
	const people = [
		...[...result.refused, ...(replay?.admitted ?? [])].flatMap((r) =>
			r.people.map((p) => p.account)
		),
		...(replay?.people.flatMap((p) => p.account ?? []) ?? [])
	];
	const faulty = ({ plan: { problems }, set: { rules } }: { set: RuleSet; plan: Plan }) => [
		...new Set(problems.map((p) => rules.find((r) => r.id === p.rule)?.name ?? p.rule))
	];
	const ruleOfClaim = (claim: string) => ruleOf(after.plan, claim) ?? ruleOf(before.plan, claim);
	return {
		...result,
		follows,
		surprises: surprisesOf(result, follows),
		faulty: { before: faulty(before), after: faulty(after) },
		unrehearsed,
		names: await namesOf(c, [...new Set(people)]),
		rules: Object.fromEntries(
			claimsOf(result).flatMap((x) => {
				const rule = x === null ? undefined : ruleOfClaim(x);
				return rule ? [[x, { id: rule.id, name: rule.name }]] : [];
			})
		)
	};
}

/** The claims that a rehearsal tells of. */
export const claimsOf = (r: Rehearsal & { replay?: Retold }): (string | null)[] => [
	...r.fields.flatMap((f) => f.by.map((b) => b.claim)),
	...[...r.refused, ...r.sends, ...(r.replay?.unsent ?? []), ...(r.replay?.admitted ?? [])].map(
		(x) => x.claim
	)
];
