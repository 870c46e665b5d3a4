/** Each output of a rule: whether it can ever give its field a value, and what trying it shows. */
import { own } from '../value/own';
import { fromJson } from '../fields/codec';
import type { JsonValue } from '../fields/codec';
import type { Output, Rule } from '../document/rules';
import { claimId } from '../document/rules';
import type { Claim, PlanNode } from '../plan/plan';
import type { FindingIs } from '../kinds/catalogue';
import type { Place } from '../kinds/spec';
import type { SubmittedRecord } from '../settle/settle';
import { settle } from '../settle/settle';
import { recordsLoader, valuesFromJson } from '../trials/records';
import { neverSeen, staysBlank, tryClaim, tryUpdate } from './behaviour';
import type { Context } from './context';
import { readsBeyond } from './formulas';
import { ofRule } from './context';
import { givesNothing, outrankedBy } from './guards';
import { PROBE_INSTANT } from './probe';
import type { Finding, Overruled } from './types';

/** Findings about the claims of a rule. @param overruled what history tells, by claim */
export function claimFindings(
	c: Context,
	rule: Rule,
	overruled: Readonly<Record<string, Overruled>>
): Finding[] {
	return rule.outputs.flatMap((output) => {
		const claim = c.plan.claims.get(claimId(rule.id, output.id));
		const node = claim && c.nodeOf(rule.type, output.field);
		if (!claim || !node) return [];
		const of = (place: Place, is: FindingIs) => ({
			...ofRule(rule, is, place, output.id),
			field: output.field
		});
		const blank = staysBlank(c.probe, claim, node);
		const shown =
			claim.each >= 0
				? [update(c, claim, node)]
				: [...tryClaim(c.probe, claim, node), blank ?? neverGave(c, claim, node)];
		return [
			...neverWrites(c, claim, node, output, of),
			...shown.flatMap((s) => {
				if (!s) return [];
				const { is, place, ...rest } = s;
				return [{ ...of(place, is), ...rest }];
			}),
			...byHand(claim, own(overruled, claim.id), of)
		];
	});
}

/** One that gives nothing in any case is told already; one that reads what cannot be made up is not known. */
function neverGave(c: Context, claim: Claim, node: PlanNode) {
	const never = givesNothing(c.probe, claim) ? null : neverSeen(c.probe, claim, node);
	if (!never) return null;
	// records behind one way back are made up; those further on are not
	const further = claim.reads.some((r) => r.via.length > 1 && r.via.some((v) => v.back));
	const { rule } = claim;
	if (!further && !readsBeyond([rule.guard, rule.body], c.schema)) return never;
	c.notAnalysed(
		rule,
		'It reads records further on, a certain record or who makes the change, so whether it ever gives something is not known.'
	);
	return null;
}

type Of = (place: Place, is: FindingIs) => ReturnType<typeof ofRule>;

function neverWrites(c: Context, claim: Claim, node: PlanNode, output: Output, of: Of): Finding[] {
	const out: Finding[] = [];
	const above = outrankedBy(c.probe, node.claims, node.claims.indexOf(claim));
	if (above) {
		const names = above.by.map((x) => `“${x.rule.name}”`);
		out.push({
			...of('order', 'outranked'),
			message: `It never gives ${claim.field.label} its value: ${names.join(' and ')} ${names.length > 1 ? 'come' : 'comes'} first wherever it applies.`,
			certificate: `tried at all ${above.tried} combinations that these rules can tell apart`
		});
	}
	const nothing = output.none === 'clear' ? null : givesNothing(c.probe, claim);
	if (nothing)
		out.push({
			...of('outputs', 'gives nothing'),
			message: `It gives ${claim.field.label} nothing in any case.`,
			certificate: `tried at all ${nothing.tried} combinations or rows`
		});
	return out;
}

/** How often people must have overruled a claim, and in what part of the cases, before it is told. */
const OFTEN = { times: 5, part: 0.2 };

/** A value that people are known to set otherwise, from history. */
function byHand(claim: Claim, known: Overruled | undefined, of: Of): Finding[] {
	if (!known || claim.output.hold !== 'follow' || claim.output.closed) return [];
	const { wrote, overruled, since } = known;
	if (overruled < OFTEN.times || overruled < wrote * OFTEN.part) return [];
	return [
		{
			...of('outputs', 'overruled'),
			message: `People overruled it ${overruled} times of the ${wrote} that it set ${claim.field.label}.`,
			certificate: `history since ${since}`
		}
	];
}

function update(c: Context, claim: Claim, node: PlanNode) {
	return tryUpdate(c.probe, claim, node, (parent, own) => settlePair(c, claim, parent, own));
}

/** An update run at one related record, and what the next save of that record makes of it. */
function settlePair(
	c: Context,
	claim: Claim,
	parent: Record<string, JsonValue>,
	values: Record<string, JsonValue>
) {
	const { schema } = c;
	const { rule, target } = claim;
	const link = rule.each!;
	const of = schema.field(rule.type, link)!.target!;
	const stored = (type: string, id: string, json: Record<string, JsonValue>) => ({
		type,
		id,
		values: valuesFromJson(schema, type, json)
	});
	const [up, own] = [
		stored(of, '900000000000001', {}),
		stored(rule.type, '900000000000002', { ...values, [link]: '900000000000001' })
	];
	const run = (record: SubmittedRecord, near: (typeof up)[]) =>
		settle(
			c.plan,
			{ records: [record], entryPoint: 'full', instant: PROBE_INSTANT, person: null },
			recordsLoader(schema, near),
			{ explain: true, zones: c.zones }
		);
	const sent = new Map(
		Object.entries(parent).map(([id, v]) => {
			const r = fromJson(schema.field(of, id)!, v, schema);
			return [id, r.ok ? r.value : null];
		})
	);
	const submit = { created: false, keep: new Set<string>() };
	const first = run({ ...submit, type: of, id: up.id, was: up.values, sent, inLine: true }, [
		up,
		own
	]);
	const child = first.records.find((r) => r.type === rule.type && r.id === own.id);
	if (child?.reports.find((r) => r.claim === claim.id)?.outcome !== 'wrote') return null;
	const now = { ...up, values: [...first.records[0].values] };
	const second = run(
		{
			...submit,
			type: rule.type,
			id: own.id,
			was: child.values,
			sent: new Map(),
			inLine: false
		},
		[now, { ...own, values: [...child.values] }]
	).records[0];
	const by = second.changes.find((x) => x.field === claim.field.id)?.claim ?? null;
	return { wrote: child.values[target], then: second.values[target], by };
}
