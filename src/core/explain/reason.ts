/** Says in a sentence why a claim wrote or did not: the same words on every page, in history and on the command line. */
import type { FieldRef, Schema } from '../document/model';
import type { Claim, Plan, Validator } from '../plan/plan';
import { ruleOf } from '../plan/plan';
import { writerOf } from '../kinds';
import { toJson } from '../fields/codec';
import { shortened } from '../text/shortened';
import type { Value } from '../value/value';
import { isList } from '../value/value';
import type { ClaimReport, Counted, SeenPart, SeenValue } from '../settle/settle';

/** Writes a value for people, in their locale; the default is plain. */
export type Format = (ref: FieldRef, v: Value) => string;

/** Values without any locale: options by label, decimals with a point. */
export function plainFormat(plan: Plan): Format {
	return ({ type, field }, v) => {
		const f = plan.schema.field(type, field);
		if (v === null) return 'blank';
		if (typeof v === 'boolean') return v ? 'yes' : 'no';
		const one = (x: Value) =>
			f?.list && typeof x === 'string'
				? (plan.schema.option(f.list, x)?.label ?? x)
				: String(toJson(x));
		return isList(v) ? v.map(one).join(', ') : one(v);
	};
}

/** A field by its label; one read through links with the links before it: `Customer’s Size class`. */
function labelOf(schema: Schema, r: FieldRef & { via?: readonly FieldRef[] }): string {
	const name = (x: FieldRef) => schema.field(x.type, x.field)?.label ?? x.field;
	return [...(r.via ?? []).map((v) => `${name(v)}’s`), name(r)].join(' ');
}

/** Most signs of one value within a sentence; the value itself stands beside it. */
const MOST_SIGNS = 80;

/** Why, without the name of the rule: `Headcount 50 is in [50..250), the third band`. */
export function reason(plan: Plan, report: ClaimReport, whole: Format = plainFormat(plan)): string {
	const format: Format = (ref, v) => shortened(whole(ref, v), MOST_SIGNS);
	const claim = plan.claims.get(report.claim);
	if (!claim)
		return plan.messages.some((m) => m.id === report.claim)
			? messageReason(plan, report, format)
			: validatorReason(plan, report, format);
	const { schema } = plan;
	const label = (r: FieldRef) => labelOf(schema, r);
	switch (report.outcome) {
		case 'wrote':
		case 'same value':
		case 'cleared':
		case 'kept':
		case 'not blank':
		case 'given at creation':
		case 'cleared by hand': {
			const why = caused(plan, claim, report, format);
			if (report.outcome === 'same value') return `it has this value already: ${why}`;
			if (report.outcome === 'kept') return keptReason(report);
			if (report.outcome === 'not blank') return 'it is not blank';
			if (report.outcome === 'given at creation') return 'a value was given when it was created';
			if (report.outcome === 'cleared by hand') return 'it was cleared by hand in this change';
			return why;
		}
		case 'not triggered': {
			const t = schema.types.get(claim.rule.type)!.type.fields;
			const far = claim.reached.map((r) => {
				const of = schema.types.get(r.type)!.type.label;
				return `${of}’s ${schema.field(r.type, r.field)?.label ?? r.field}`;
			});
			const names = [
				...new Set([...[...claim.triggers, ...claim.triggersSent].map((i) => t[i].label), ...far])
			];
			if (!names.length) return 'it does something only when a record is created';
			const list =
				names.length > 1 ? `${names.slice(0, -1).join(', ')} and ${names.at(-1)}` : names[0];
			return `${list} did not change`;
		}
		case 'moment left out':
			return claim.output.hold === 'once'
				? 'it applies when a record is created'
				: 'it does not apply at this moment';
		case 'entry point left out':
			return 'it does not apply on this entry point';
		case 'event left out':
			return 'it depends on an event, and on request nothing happens to the record';
		case 'guard false':
		case 'guard unknown':
			return guardReason(plan, report, format);
		case 'reached left out':
			return 'it takes records that somebody submits, and this one was reached by another';
		case 'did not come to hold':
			return 'its condition held before already';
		case 'outranked': {
			const by = report.by && ruleOf(plan, report.by);
			return by ? `“${by.name}” comes first` : 'another rule comes first';
		}
		case 'no row':
		case 'several rows':
		case 'blank':
			return because(plan, claim, report, format);
		case 'no result': {
			const blank = report.reads?.find((r) => r.value === null);
			const read = (report.reads ?? []).map((r) => `${label(r)} is ${format(r, r.value)}`);
			return `the formula has no result${blank ? `: ${label(blank)} is blank` : values(read)}`;
		}
		case 'left':
			return `without a result it leaves the field: ${because(plan, claim, report, format)}`;
		case 'failed':
			return `it failed: ${report.message ?? 'no reason known'}`;
		case 'pending':
			return report.message ?? 'something it reads is not at hand yet';
		default:
			return 'it does not apply';
	}
}

/** Why a value that a rule would have overwritten stands. */
function keptReason(report: ClaimReport): string {
	if (report.asked === 'import') return 'it was kept, as the import asked';
	if (report.asked) return 'it was kept, as the sender asked';
	return 'it was set by hand after the fields it follows';
}

/** What a rule gives when nothing but its condition made it do so. */
const PLAIN = 'that is what the rule gives';

/** Why a claim gave what it gave: by what it read, by which branch, and by the condition that held. */
function caused(plan: Plan, claim: Claim, report: ClaimReport, format: Format): string {
	const told = because(plan, claim, report, format);
	const why = told === PLAIN ? (aroundReason(claim) ?? told) : told;
	const branch = branchReason(plan, report, format, why);
	const held = (report.guard ?? [])
		.filter((p) => p.result === true)
		.map((p) => soReason(plan, p, format, why));
	const as = [...new Set([...(branch ? [branch] : []), ...held])].filter((x) => !why.includes(x));
	if (!as.length) return why;
	return why === PLAIN ? as.join(', ') : `${why}, as ${as.join(', ')}`;
}

/** Where a rule reads no field: what stands around the change, or that a new record begins so. */
function aroundReason(claim: Claim): string | null {
	if (claim.outside.has('person')) return 'that is who makes the change';
	if (claim.outside.has('now')) return 'that is the moment of the change';
	if (claim.outside.has('today')) return 'that is the day of the change';
	if (claim.outside.has('entry point')) return 'that is the road by which the change came in';
	return claim.output.hold === 'once' ? 'a new record begins with it' : null;
}

/** Whether all values of a condition stand in what is told already. */
const isTold = (part: SeenPart, told: string, format: Format) =>
	part.values.every((v) => told.includes(format(v, v.value)));

/** A condition that was so: by its values, or by itself where these are told already. */
function soReason(plan: Plan, part: SeenPart, format: Format, told: string): string {
	const said =
		part.values.length && isTold(part, told, format) ? '' : partValues(plan, part, format);
	return said || `“${part.text}” is so`;
}

/** Which branch of a formula was taken: the condition that was so, or the last that was not. */
function branchReason(
	plan: Plan,
	report: ClaimReport,
	format: Format,
	told: string
): string | null {
	const part = report.branches?.at(-1);
	if (!part) return null;
	if (part.result === true) return soReason(plan, part, format, told);
	const said = isTold(part, told, format) ? '' : partValues(plan, part, format);
	const blank = part.values.find((v) => v.value === null);
	if (part.result === null && blank)
		return `it is unknown whether “${part.text}”: ${labelOf(plan.schema, blank)} is blank`;
	return `“${part.text}” is not so${said ? `: ${said}` : ''}`;
}

const WHEN = { settled: '', was: ' before', sent: ' as sent' };

/** The values in a condition: `Stage went from Offer to Won, Headcount before is 12`. */
function partValues(plan: Plan, part: SeenPart, format: Format): string {
	const told: string[] = [];
	const same = (a: SeenValue, b: SeenValue) =>
		a.type === b.type && a.field === b.field && !a.via.length && !b.via.length;
	for (const v of part.values) {
		const label = labelOf(plan.schema, v);
		const now = part.values.find((x) => x !== v && same(v, x) && x.image !== 'was');
		if (v.image === 'was' && now)
			told.push(`${label} went from ${format(v, v.value)} to ${format(now, now.value)}`);
		else if (!part.values.some((x) => x.image === 'was' && same(v, x) && v.image !== 'was'))
			told.push(`${label}${WHEN[v.image]} is ${format(v, v.value)}`);
	}
	return told.join(', ');
}

/** Which part of a guard kept a rule out, with the values that were in it. */
function guardReason(plan: Plan, report: ClaimReport, format: Format): string {
	const label = (r: FieldRef) => labelOf(plan.schema, r);
	if (report.outcome === 'guard false') {
		const part = report.guard?.find((p) => p.result === false);
		const told = part ? partValues(plan, part, format) : '';
		return part
			? `“${part.text}” is not so${told ? `: ${told}` : ''}`
			: 'its condition does not hold';
	}
	const part = report.guard?.find((p) => p.result === null);
	const blank = part?.values.find((v) => v.value === null);
	return blank
		? `it is unknown whether “${part!.text}”: ${label(blank)} is blank`
		: 'its condition cannot be told';
}

/** The same for a message rule. */
function messageReason(plan: Plan, report: ClaimReport, format: Format): string {
	const m = plan.messages.find((x) => x.id === report.claim)!;
	const { fields } = plan.schema.type(m.rule.type).type;
	const about = m.each && plan.schema.type(m.each.type).type;
	switch (report.outcome) {
		case 'sends':
		case 'nobody': {
			const { sends, of, withoutAddress, doubled } = report.sending!;
			const left = [
				...(withoutAddress ? [`${withoutAddress} without an address`] : []),
				...(doubled ? [`${doubled} with an address already written to`] : [])
			];
			const rest = left.length ? `, leaving out ${left.join(' and ')}` : '';
			if (!about)
				return sends.length ? `it writes to ${sends[0].to}` : `there is no address to write to`;
			return of
				? `it writes to ${sends.length} of ${of} ${(of === 1 ? about.label : about.plural).toLowerCase()}${rest}`
				: `there are no ${about.plural.toLowerCase()} to write to`;
		}
		case 'not triggered': {
			const names = [...new Set([...m.triggers, ...m.triggersSent])].map((i) => fields[i].label);
			return names.length ? `${names.join(', ')} did not change` : 'it reacts to new records only';
		}
		case 'guard false':
		case 'guard unknown':
			return guardReason(plan, report, format);
		case 'did not come to hold':
			return 'its condition held before already';
		case 'entry point left out':
			return 'it does not apply on this entry point';
		case 'moment left out':
			return 'it does not apply at this moment';
		case 'reached left out':
			return 'it takes records that somebody submits, and this one was reached by another';
		case 'failed':
			return `it failed: ${report.message ?? 'no reason known'}`;
		default:
			return report.message ?? 'it does not apply';
	}
}

/** The same for a Validate rule. */
function validatorReason(plan: Plan, report: ClaimReport, format: Format): string {
	const v = plan.validators.get(report.claim);
	if (!v) return 'its rule has changed since';
	const { schema } = plan;
	const told = (report.reads ?? [])
		.map((r) => `${labelOf(schema, r)} is ${format(r, r.value)}`)
		.join(', ');
	switch (report.outcome) {
		case 'holds':
			return `what it asks holds${told ? `: ${told}` : ''}`;
		case 'said':
			return `it says “${(report.message ?? '').replace(/\.$/, '')}”`;
		case 'cannot tell': {
			const blank = report.reads?.find((r) => r.value === null);
			return `it cannot tell: ${blank ? `${labelOf(schema, blank)} is blank` : 'what it asks has no answer'}`;
		}
		case 'in effect':
			return inEffectReason(plan, v, report, format);
		case 'not triggered': {
			const t = schema.types.get(v.rule.type)!.type.fields;
			const names = [...new Set([...v.triggers, ...v.triggersSent])].map((i) => t[i].label);
			return names.length
				? `${names.join(', ')} did not change`
				: 'it looks at a record only when it is created';
		}
		case 'guard false':
		case 'guard unknown':
			return guardReason(plan, report, format);
		case 'entry point left out':
			return 'it does not apply on this entry point';
		case 'moment left out':
			return 'it does not apply at this moment';
		case 'failed':
			return `it failed: ${report.message ?? 'no reason known'}`;
		default:
			return report.message ?? 'it does not apply';
	}
}

/** Most options that are named one by one. */
const MOST_NAMED = 8;

/** What a field is now, and why: which options are left of one that is limited. */
function inEffectReason(plan: Plan, v: Validator, report: ClaimReport, format: Format): string {
	const ref = { type: v.rule.type, field: v.field.id };
	const several = v.field.type === 'choices';
	const all = report.left?.map((o) => format(ref, several ? [o] : o)) ?? [];
	const more = all.length - MOST_NAMED;
	const left =
		more > 1 ? `${all.slice(0, MOST_NAMED).join(', ')} and ${more} more` : all.join(', ');
	const what =
		v.kind !== 'limited' ? v.kind : left ? `limited to ${left}` : 'limited, and no option is left';
	const held = (report.guard ?? [])
		.filter((p) => p.result === true)
		.map((p) => partValues(plan, p, format))
		.filter(Boolean);
	const read = (report.reads ?? [])
		.filter((r) => r.field !== v.field.id)
		.map((r) => `${labelOf(plan.schema, r)} is ${format(r, r.value)}`);
	const as = [...new Set([...held, ...read])];
	return `${v.field.label} is ${what} now${as.length ? `, as ${as.join(', ')}` : ''}`;
}

const values = (told: string[]) => (told.length ? `: ${told.join(', ')}` : '');

/** `Amount and Stage of 14 deals`. */
function countedText(schema: Schema, { type: id, fields, n }: Counted): string {
	const { type } = schema.type(id);
	const labels = fields
		.map((f) => schema.field(id, f))
		.flatMap((f) => (f && f.type !== 'link' ? [f.label] : []));
	const what = `${n} ${(n === 1 ? type.label : type.plural).toLowerCase()}`;
	return labels.length ? `${labels.join(' and ')} of ${what}` : what;
}

function because(plan: Plan, claim: Claim, report: ClaimReport, format: Format): string {
	const { body, type } = claim.rule;
	const { schema } = plan;
	const label = (r: FieldRef) => labelOf(schema, r);
	// a link that only leads on to another field goes without saying
	const reads = (report.reads ?? []).filter(
		(r, _, all) => r.via.length || !all.some((x) => x.via[0]?.field === r.field)
	);
	return writerOf(body)!.because(body, {
		schema,
		rule: claim.rule,
		output: claim.output,
		outcome: report.outcome,
		row: report.row,
		value: report.value,
		found: (report.found ?? []).map((id) => format({ type, field: claim.field.id }, id)),
		read: reads
			.filter((r) => r.value !== null)
			.map((r) => `${label(r)}${WHEN[r.image]} ${format(r, r.value)}`),
		counted: (report.counted ?? []).map((c) => countedText(schema, c)),
		blank: reads.filter((r) => r.value === null).map(label),
		label,
		format
	});
}
