/**
 * What is to be tried of a rule: each of its parts, both sides of each limit, both outcomes of each row
 * of its conditions, a blank, what its hold does when somebody sets the field by hand, roads and moments.
 * A trial tries a point where it gets there and expects something of what the rule is about.
 */
import type { JsonValue } from '../document/json';
import type { Rule } from '../document/rules';
import { ENTRY_LABEL } from '../document/rules';
import type { Expr } from '../document/tree';
import { sayCondition, type SayValue } from '../conditions/words';
import { spotsOfRule } from '../check/candidates';
import { sayRule } from '../compare/words';
import { kindOf, writerOf } from '../kinds';
import type { TryPart } from '../kinds/spec';
import type { Claim, GuardPart, MessageRule, Plan, Validator } from '../plan/plan';
import type { ClaimReport, Outcome, SettledRecord } from '../settle/settle';
import { spotOf, type Spot } from '../spots/cells';
import { toJson } from '../fields/codec';
import * as n from '../value/num';
import { Num } from '../value/num';
import { LocalDate } from '../value/temporal';
import type { Value } from '../value/value';
import { isBlank, order } from '../value/value';

/** What a point is about, the more harmful when untried first. */
type PointKind = 'check' | 'part' | 'limit' | 'condition' | 'blank' | 'hold' | 'road';

/** Something that is to be tried of a rule. */
export interface Point {
	/** Unique in the rule set, and the same while the rule says it. */
	key: string;
	rule: string;
	kind: PointKind;
	label: string;
	/** The part of the body or the limit that it belongs to, for marks beside it. */
	at?: string;
	/** The higher the more harm when nobody tried it. */
	weight: number;
	/** Values of fields that lead there: for proposing trials. */
	near?: { spot: Spot; value: JsonValue }[];
}

/** What a run shows of one rule at a record. */
export interface Met {
	rec: SettledRecord;
	/** One for each output, or one where there are none. */
	reports: readonly ClaimReport[];
	entryPoint: string;
}

type Side = -1 | 0 | 1;
const keyOf = (rule: string, what: string) => `${rule}|${what}`;
const ofPart = (part: string) => `part ${part}`;
const ofLimit = (spot: string, at: string, side: Side) => `limit ${spot} ${at} ${side}`;

/** The key of the point of a part of a rule's body: its number, option or case, or `blank`. */
export const partPoint = (rule: string, part: string) => keyOf(rule, ofPart(part));

/**
 * The key of the point at a limit with which a rule compares an own field: at it (0), or just below (-1) or above it (1).
 * @param at the limit as it stands in the rule
 */
export const limitPoint = (
	rule: Pick<Rule, 'id' | 'type'>,
	field: string,
	at: string,
	side: Side
) => keyOf(rule.id, ofLimit(`${rule.type}.${field}`, String(n.parseNum(at) ?? at), side));

/** A point with how it is known that a run got there. */
interface Known {
	point: Point;
	hit(met: Met): boolean;
}

/** Outcomes of a claim whose body was run. */
const RAN = new Set<Outcome>([
	'wrote',
	'same value',
	'kept',
	'not blank',
	'cleared by hand',
	'given at creation',
	'no row',
	'several rows',
	'blank',
	'no result',
	'left',
	'cleared',
	'failed'
]);
/** Outcomes for which the condition of a rule was looked at. */
const ASKED = new Set<Outcome>([
	...RAN,
	'guard false',
	'guard unknown',
	'did not come to hold',
	'holds',
	'said',
	'in effect',
	'cannot tell',
	'sends',
	'nobody'
]);

/** Most limits of one rule whose sides are points of their own. */
const MOST_LIMITS = 40;

const WEIGHT: Record<PointKind, number> = {
	check: 7,
	part: 6,
	limit: 5,
	condition: 4,
	blank: 3,
	hold: 2,
	road: 1
};

type Compiled = Claim | Validator | MessageRule;

/** What a rule compiled to in a plan; empty where it is switched off or has faults. */
export function compiledOf(plan: Plan, rule: Rule): Compiled[] {
	const ids = rule.outputs.map((o) => `${rule.id}:${o.id}`);
	const own = ids.flatMap((id) => plan.claims.get(id) ?? plan.validators.get(id) ?? []);
	return [...own, ...plan.messages.filter((m) => m.rule.id === rule.id)];
}

/** Everything that is to be tried of a rule. */
export const pointsOf = (plan: Plan, rule: Rule, say: SayValue): Point[] =>
	knownOf(plan, rule, say).map((k) => k.point);

/** What is known of the rules of a plan; words are of no account here. */
const known = new WeakMap<Plan, Map<Rule, Known[]>>();

/** The points that a run gets to, by key. */
export function pointsMet(plan: Plan, rule: Rule, met: Met): string[] {
	const rules = known.get(plan) ?? new Map<Rule, Known[]>();
	known.set(plan, rules);
	const had = rules.get(rule) ?? knownOf(plan, rule, (_field, v) => String(v));
	rules.set(rule, had);
	return had.flatMap(({ point, hit }) => (hit(met) ? [point.key] : []));
}

function knownOf(plan: Plan, rule: Rule, say: SayValue): Known[] {
	const all = compiledOf(plan, rule);
	if (!all.length) return [];
	const heavier = all.some((c) => 'output' in c && c.output.hold === 'locked') ? 1 : 0;
	const out = new Map<string, Known>();
	const add = (kind: PointKind, what: string, label: string, hit: Known['hit'], more = {}) => {
		const weight = WEIGHT[kind] + heavier;
		const key = keyOf(rule.id, what);
		if (out.has(key)) return;
		out.set(key, { point: { key, rule: rule.id, kind, label, weight, ...more }, hit });
	};
	const some = (outcomes: readonly Outcome[]) => (m: Met) =>
		m.reports.some((r) => outcomes.includes(r.outcome));
	const asked = (m: Met) => m.reports.some((r) => ASKED.has(r.outcome));
	const [first] = all;
	parts(plan, rule, say, add);
	limits(plan, rule, say, (key, label, hit, more) =>
		add('limit', key, label, (m) => asked(m) && hit(m), more)
	);
	conditions(plan, first, say, add);
	if ('output' in first) writes(plan, rule, all as Claim[], say, add);
	else if ('askedParts' in first) judges(plan, first, say, add);
	else {
		add('check', 'sends', 'a message leaves', some(['sends']));
		add('blank', 'nobody', 'there is nobody to send it to', some(['nobody']));
	}
	roads(plan, rule, add, some);
	return [...out.values()];
}

type Add = (
	kind: PointKind,
	key: string,
	label: string,
	hit: Known['hit'],
	more?: Partial<Point>
) => void;

/** Each part of the body by itself. */
function parts(plan: Plan, rule: Rule, say: SayValue, add: Add) {
	const { schema } = plan;
	const kind = kindOf(rule.body);
	const tries = kind.tries(rule.body, { schema, rule });
	if (!tries.length) return;
	const said = new Map(
		tries.some((p) => p.said) ? sayRule(rule, schema, say).map((p) => [p.key, p.label]) : []
	);
	const source = kind.does === 'judges' ? kind.source(rule.body) : null;
	for (const p of tries) {
		const label = p.label ?? said.get(p.said!) ?? p.key;
		const own = p.key === 'blank' && p.said ? 'what it reads is blank' : label;
		const hit = (m: Met) => m.reports.some((r) => RAN.has(r.outcome) && took(p, r));
		const at = source === null ? undefined : schema.type(rule.type).at.get(source);
		add(
			p.cell ? 'condition' : p.short || p.key === 'blank' ? 'blank' : 'part',
			ofPart(p.key),
			own,
			// a limit has no row: what it chooses by says which part it is
			at === undefined
				? hit
				: (m) =>
						m.reports.some((r) => r.outcome === 'in effect') && String(m.rec.values[at]) === p.key,
			{ at: p.key, ...(p.given ? { near: spotsOfGiven(plan, p.given) } : {}) }
		);
	}
}

/** Where given values are read as they are. */
const spotsOfGiven = (plan: Plan, given: NonNullable<TryPart['given']>) =>
	given.flatMap(({ of, value }) => {
		const spot = 'expr' in of ? spotOf(of.expr, plan.schema) : null;
		return spot ? [{ spot, value }] : [];
	});

/** Whether a report came by a part. */
function took(p: TryPart, r: ClaimReport): boolean {
	if (p.cell) {
		const row = r.table?.rows[p.cell.row];
		return row?.alone === true && row.cell === p.cell.column;
	}
	const reads = r.reads ?? [];
	switch (p.short) {
		case 'blank':
			return reads.some((x) => isBlank(x.value));
		case 'no row':
			return (
				['no row', 'left', 'cleared', 'no result'].includes(r.outcome) &&
				r.row === undefined &&
				(r.found?.length ?? 0) < 2 &&
				!(reads.length && reads.every((x) => isBlank(x.value)))
			);
		case 'several rows':
			return r.outcome === 'several rows' || (r.found?.length ?? 0) > 1;
		case 'no result':
			return r.outcome === 'no result' || r.outcome === 'cleared' || r.outcome === 'left';
	}
	// rows that matched together are told as text, counted from one
	if (typeof r.row === 'string' && /^\d+(, \d+)+$/.test(r.row))
		return r.row.split(', ').some((x) => String(Number(x) - 1) === p.key);
	if (r.row !== undefined) return String(r.row) === p.key || p.key === 'row';
	return ['result', 'one', 'row'].includes(p.key) && ['wrote', 'same value'].includes(r.outcome);
}

/** How near a value stands to a limit to count as beside it: by one, or by a hundredth of a large one. */
function beside(limit: Value, v: Value): -1 | 0 | 1 | null {
	const o = order(v, limit);
	if (o === null || o === 0) return o === 0 ? 0 : null;
	if (limit instanceof LocalDate && v instanceof LocalDate)
		return Math.abs(v.epochDay - limit.epochDay) <= 1 ? (o < 0 ? -1 : 1) : null;
	if (!(limit instanceof Num) || !(v instanceof Num)) return null;
	const apart = Math.abs(Number(n.sub(v, limit)));
	return apart <= Math.max(1, Math.abs(Number(limit)) / 100) ? (o < 0 ? -1 : 1) : null;
}

/** A value beside a limit. */
function nextTo(limit: Value, by: number): Value {
	if (limit instanceof LocalDate) return LocalDate.fromEpochDay(limit.epochDay + by);
	return limit instanceof Num ? n.add(limit, n.num(by)) : null;
}

/** Both sides of each limit that it compares a number or date with. */
function limits(
	plan: Plan,
	rule: Rule,
	say: SayValue,
	add: (key: string, label: string, hit: Known['hit'], more: Partial<Point>) => void
) {
	if (rule.each) return;
	const { schema } = plan;
	const belongs = new Map(
		kindOf(rule.body)
			.tries(rule.body, { schema, rule })
			.flatMap(({ from }) => (from ? [[from.at, from.belongs]] : []))
	);
	let left = MOST_LIMITS;
	for (const [name, { spot, constants }] of spotsOfRule(rule, schema)) {
		const seen = new Set<string>();
		for (const c of constants) {
			if (!(c instanceof Num || c instanceof LocalDate) || seen.has(String(c))) continue;
			if (spot.field.type !== 'date' && !['number', 'money', 'percent'].includes(spot.field.type))
				continue;
			seen.add(String(c));
			if (left-- <= 0) return;
			const whose = spot.via.map((v) => `${schema.field(v.type, v.field)?.label}’s `).join('');
			const label = `${whose}${spot.field.label}`;
			const value = (v: Value) => say(spot.field, toJson(v) ?? null);
			const side = (which: Side, words: string) =>
				add(
					ofLimit(name, String(c), which),
					`${label} ${words}`,
					(m) => {
						const v = valueAt(plan, m, spot);
						return v !== undefined && beside(c, v) === which;
					},
					{ at: String(c), near: [{ spot, value: toJson(which ? nextTo(c, which) : c) }] }
				);
			// of bands it is known to which side the limit itself belongs
			const own = spot.via.length ? undefined : belongs.get(String(c));
			if (own !== 'below') side(-1, `just below ${value(c)}`);
			side(0, `exactly ${value(c)}`);
			if (own !== 'above') side(1, `just above ${value(c)}`);
		}
	}
}

/** What a spot has in a run; undefined where that is not told. */
function valueAt(plan: Plan, m: Met, spot: Spot): Value | undefined {
	if (!spot.via.length) {
		const i = plan.schema.type(spot.type).at.get(spot.field.id);
		return i === undefined || m.rec.type !== spot.type ? undefined : m.rec.values[i];
	}
	for (const r of m.reports) {
		const told = [
			...(r.reads ?? []),
			...(r.guard ?? []).flatMap((p) => p.values),
			...(r.holds ?? []).flatMap((p) => p.values),
			...(r.branches ?? []).flatMap((p) => p.values)
		];
		const at = told.find(
			(x) =>
				x.type === spot.type &&
				x.field === spot.field.id &&
				x.via.length === spot.via.length &&
				x.via.every((v, i) => v.field === spot.via[i].field)
		);
		if (at) return at.value;
	}
	return undefined;
}

/** Asks whether something is there or has changed: never without an answer. */
const ALWAYS_TOLD = ['is blank', 'changed', 'moved'];
const mayBeOpen = (e: Expr) => !(e.k === 'call' && ALWAYS_TOLD.includes(e.fn));

/** Both outcomes of each row of its condition, and of each branch of a formula. */
function conditions(plan: Plan, first: Compiled, say: SayValue, add: Add) {
	const words = (p: GuardPart) => sayCondition(p.expr, plan.schema, say);
	const guard = first.guardParts();
	guard.forEach((p, i) => {
		const at = (m: Met) => m.reports.map((r) => r.guard?.[i]?.result);
		add('condition', `guard ${i} so`, `if ${words(p)}`, (m) => at(m).includes(true));
		add('condition', `guard ${i} not`, `if not ${words(p)}`, (m) => at(m).includes(false));
	});
	if (guard.some((p) => p.reads.length && mayBeOpen(p.expr)))
		add('blank', 'guard open', 'its condition cannot be told', (m) =>
			m.reports.some((r) => r.guard?.some((p) => p.result === null))
		);
	if (first.rule.entering)
		add('condition', 'entered', 'its condition held before already', (m) =>
			m.reports.some((r) => r.outcome === 'did not come to hold')
		);
	if (!('branches' in first)) return;
	const { rule } = first;
	const known = kindOf(rule.body).tries(rule.body, { schema: plan.schema, rule });
	// where they are parts of the body they are there already
	if (known.some((p) => !p.short && !p.cell)) return;
	const branches = first.branches();
	branches.forEach((b, i) =>
		add('part', `branch ${i}`, `if ${words(b)}`, (m) =>
			m.reports.some((r) => RAN.has(r.outcome) && r.branches?.[i]?.result === true)
		)
	);
	if (branches.length)
		add('part', 'branch else', 'if none of its conditions is so', (m) =>
			m.reports.some(
				(r) =>
					RAN.has(r.outcome) &&
					r.branches?.length === branches.length &&
					r.branches.every((b) => b.result !== true)
			)
		);
}

/** What a hold does where somebody sets the field, or another rule comes first. */
function writes(plan: Plan, rule: Rule, all: readonly Claim[], say: SayValue, add: Add) {
	for (const c of all) {
		const { label } = c.field;
		const mine = (m: Met, ...outcomes: Outcome[]) =>
			m.reports.some((r) => r.claim === c.id && outcomes.includes(r.outcome));
		const aside = (m: Met) => m.rec.setAside.some((s) => s.claim === c.id);
		const { hold, closed, adds } = c.output;
		if (!writerOf(rule.body)?.tries(rule.body, { schema: plan.schema, rule }).length)
			add('part', `gives ${c.output.id}`, `${label} is written`, (m) =>
				mine(m, 'wrote', 'same value')
			);
		if (adds) continue;
		if (hold === 'locked' || closed)
			add('hold', `aside ${c.output.id}`, `${label} sent by hand is set aside`, aside);
		else if (hold === 'follow' && !c.readsOwnSent)
			add('hold', `kept ${c.output.id}`, `${label} set by hand is kept`, (m) => mine(m, 'kept'));
		else if (hold === 'fill')
			add('hold', `filled ${c.output.id}`, `${label} is not blank and stays`, (m) =>
				mine(m, 'not blank')
			);
		else if (hold === 'once')
			add('hold', `given ${c.output.id}`, `${label} given at creation stays`, (m) =>
				mine(m, 'given at creation')
			);
		const node = plan.nodes[plan.types.get(rule.type)!.position[c.target]];
		if (node?.claims.indexOf(c) > 0)
			add('hold', `outranked ${c.output.id}`, `another rule for ${label} comes first`, (m) =>
				mine(m, 'outranked')
			);
		if ((hold === 'follow' || hold === 'fill') && rule.moments.includes('changed'))
			add('hold', `untouched ${c.output.id}`, `something else changes`, (m) =>
				mine(m, 'not triggered')
			);
	}
}

/** What a check says, and what a field may be. */
function judges(plan: Plan, v: Validator, say: SayValue, add: Add) {
	const { label } = v.field;
	const came = (outcome: Outcome) => (m: Met) => m.reports.some((r) => r.outcome === outcome);
	const says = (m: Met) => m.rec.messages.some((x) => x.claim === v.id);
	const aside = (m: Met) => m.rec.setAside.some((s) => s.claim === v.id);
	if (v.kind === 'check') {
		add('check', 'said', v.blocking ? 'it refuses' : 'it advises', came('said'));
		add('check', 'holds', 'it lets through', came('holds'));
		add('blank', 'cannot tell', 'a blank leaves it open', came('cannot tell'));
		const asked = v.askedParts();
		if (asked.length > 1)
			asked.forEach((p, i) =>
				add('condition', `asked ${i}`, `not ${sayCondition(p.expr, plan.schema, say)}`, (m) =>
					m.reports.some((r) => r.holds?.[i]?.result === false)
				)
			);
		return;
	}
	if (v.kind === 'required') {
		add('check', 'said', `${label} blank is refused`, says);
		add(
			'check',
			'holds',
			`${label} filled is let through`,
			(m) => came('in effect')(m) && !says(m)
		);
	} else if (v.kind === 'hidden')
		add('check', 'in effect', `${label} is hidden`, came('in effect'));
	else add('check', 'aside', `${label} sent against it is set aside`, aside);
}

/** Roads and moments that it takes and leaves out. */
function roads(
	plan: Plan,
	rule: Rule,
	add: Add,
	some: (outcomes: readonly Outcome[]) => (m: Met) => boolean
) {
	const ran = (m: Met) => m.reports.some((r) => ASKED.has(r.outcome));
	if (rule.entryPoints) {
		for (const e of rule.entryPoints)
			add('road', `by ${e}`, `by ${ENTRY_LABEL[e]}`, (m) => ran(m) && m.entryPoint === e);
		add('road', 'other road', 'by a road that it leaves out', some(['entry point left out']));
	}
	const once = rule.outputs.length > 0 && rule.outputs.every((o) => o.hold === 'once');
	if (rule.moments.includes('created'))
		add('road', 'created', 'on a new record', (m) => ran(m) && m.rec.created);
	else add('road', 'not created', 'a new record is left out', some(['moment left out']));
	if (once) return;
	if (rule.moments.includes('changed'))
		add('road', 'changed', 'on a change', (m) => ran(m) && !m.rec.created);
	else add('road', 'not changed', 'a change is left out', some(['moment left out']));
}
