/**
 * What of a record that exists is not as the rules would have it if they ran on it now: a Locked value that differs
 * or failed, and a value that follows a rule and was not set against it by anybody.
 */
import { refKey } from '../document/model';
import { nodeKey, planOf, rulesOfRecord, type Claim, type Plan, type PlanNode } from '../plan/plan';
import { addedTo, fieldsRead, readByAny, type FieldsRead } from '../plan/reads';
import { lookAt, untouched } from '../select/select';
import { settle } from '../settle/settle';
import { firstNeeds, Still } from '../settle/still';
import type { Loader, Need, SettledRecord } from '../settle/types';
import type { ZoneClock } from '../value/temporal';
import { same, type Value } from '../value/value';

/** A stored record, with what is known of who set its values. */
export interface Lined {
	id: string;
	/** In the order of its type's fields. */
	values: readonly Value[];
	/** Options that claims added to sets, by claim. */
	added: ReadonlyMap<string, readonly string[]>;
	/** Fields that a person set, or that were kept against rules. */
	byHand: ReadonlySet<string>;
	/** The claims that set fields, of those that rules set. */
	by: ReadonlyMap<string, string>;
	/** It belongs to the pilot. */
	pilot?: boolean;
}

/** A value out of line. */
export interface OutOfLine {
	field: string;
	/** The claim that would give it another value, or that failed. */
	claim: string;
	stored: Value;
	/** What it would be; as stored where the claim failed. */
	result: Value;
	/** Somebody set it against the rules: it counts apart. */
	byHand: boolean;
	/** Why its Locked claim fails. */
	failed: string | null;
}

/** A claim whose result a value is to have at any time: no event, and on request too. */
const stands = (c: Claim): boolean =>
	(c.output.hold === 'locked' || c.output.hold === 'follow') &&
	!c.eventful &&
	c.rule.moments.includes('request') &&
	(!c.rule.entryPoints || c.rule.entryPoints.includes('bulk'));

/** The claims of a plan whose values stay as they are, whatever rules say afterwards: an event or a blank field gave them. */
export const lastingClaims = (plan: Plan): string[] =>
	[...plan.claims.values()].filter((c) => !stands(c)).map((c) => c.id);

/** A field that rules hold at a value. */
interface Standing {
	node: PlanNode;
	/** Its claims that stand. */
	claims: readonly Claim[];
}

/** What is asked of a plan for each record, worked out once: its claims without checks and messages, and by type what stands. */
const asked = new WeakMap<Plan, { plan: Plan; types: Map<string, Standing[]> }>();

function askedOf(plan: Plan) {
	let known = asked.get(plan);
	if (!known) {
		known = { plan: planOf(plan, () => true), types: new Map() };
		for (const node of plan.nodes) {
			const claims = node.claims.filter(stands);
			if (!claims.length) continue;
			const had = known.types.get(node.type) ?? [];
			known.types.set(node.type, [...had, { node, claims }]);
		}
		asked.set(plan, known);
	}
	return known;
}

/** The fields of a type that rules hold at a value, in the order in which they settle; those of a pilot too. */
export function standingFields(plan: Plan, type: string): string[] {
	const of = (p: Plan) => (askedOf(p).types.get(type) ?? []).map((s) => s.node);
	const nodes = [...of(plan), ...(plan.pilot ? of(plan.pilot.plan) : [])];
	const fields = new Set(nodes.map((n) => n.field.id));
	return plan.nodes.flatMap((n) => (n.type === type && fields.has(n.field.id) ? [n.field.id] : []));
}

/** A stored record, as far as it takes to see whether it is in line. */
export type Seeable = Pick<Lined, 'id' | 'values' | 'added' | 'pilot'>;

/** What is asked of the records of a type to see whether they are in line, worked out once for a plan. */
export interface InLine {
	/** What is read, by record type: the other values of these records have no part in it. */
	reads: FieldsRead;
	/** The sets of which it has to be known what rules added. */
	sets: readonly string[];
	/** What other records a record's rules come to at first, so that it can be loaded for many at once. */
	ahead(r: Pick<Lined, 'id' | 'values'>): Need[];
	/** Begins to ask records, one after the other. */
	begin(instant: number, loader: Loader, zones: ZoneClock): (r: Seeable) => boolean | Need[];
}

const seen = new WeakMap<Plan, Map<string, InLine>>();

/**
 * Whether records of a type are as their standing rules give them, whoever set what: {@link lineOf} finds nothing out
 * of line of one that is. It costs a small part of that; of one that is not, or where a claim fails, it says no more.
 * @param fields those that are asked; all where nothing is said
 */
export function inLine(plan: Plan, type: string, fields?: ReadonlySet<string>): InLine {
	const known = seen.get(plan) ?? new Map<string, InLine>();
	seen.set(plan, known);
	const key = [type, ...(fields ? [...fields].sort() : ['*'])].join(' ');
	const had = known.get(key);
	if (had) return had;
	const sides = [plan, ...(plan.pilot ? [plan.pilot.plan] : [])].map((p) =>
		madeOf(p, type, fields)
	);
	const first = firstNeeds(sides, type);
	const made: InLine = {
		reads: readByAny(sides.map(fieldsRead)),
		sets: addedTo(sides, type),
		ahead: ({ values }) => first({ was: values }),
		begin(instant, loader, zones) {
			const [base, pilot] = sides.map((p) => new Still(p, lookAt([], instant), loader, zones));
			return ({ id, values, added, pilot: member }) =>
				(member && pilot ? pilot : base).of(untouched(type, id, values, { added }));
		}
	};
	known.set(key, made);
	return made;
}

/** The claims of some fields of a type, and of the fields of it that these are made of. */
function madeOf(plan: Plan, type: string, fields?: ReadonlySet<string>): Plan {
	const own = plan.nodes.filter((n) => n.type === type);
	const asked = new Set(
		own.flatMap((n) => (!fields || fields.has(n.field.id) ? [nodeKey(n)] : []))
	);
	// sources stand before what is made of them
	for (const n of own.reverse()) if (asked.has(nodeKey(n))) for (const s of n.sources) asked.add(s);
	return planOf(plan, (n) => n.type === type && asked.has(nodeKey(n)));
}

/** What a record would be by its standing rules, alone; values set by hand are kept. */
export interface LineTold {
	/** What was missing; with any, the rest is not final. */
	needs: Need[];
	found: OutOfLine[];
	/** As it would be, for the reasons. */
	record: SettledRecord;
}

/**
 * Holds a record against the standing claims of its type. What its rules read elsewhere counts as it is stored.
 * @param fields those that are asked; all where nothing is said
 * @param explain with what reasons are made of
 */
export function lineOf(
	plan: Plan,
	type: string,
	r: Lined,
	instant: number,
	loader: Loader,
	zones: ZoneClock,
	{ fields, explain = false }: { fields?: ReadonlySet<string>; explain?: boolean } = {}
): LineTold {
	const { plan: claims, types } = askedOf(rulesOfRecord(plan, { pilot: !!r.pilot }));
	const standing = types.get(type) ?? [];
	const kept = standing.flatMap(({ node }) => (r.byHand.has(node.field.id) ? [node] : []));
	const own = untouched(type, r.id, r.values, {
		inLine: false,
		added: r.added,
		sent: new Map(kept.map((n) => [n.field.id, r.values[n.index]])),
		keep: new Set(kept.map((n) => n.field.id))
	});
	const { records, needs } = settle(
		claims,
		{ ...lookAt([own], instant), onRequest: true },
		loader,
		// only its reports tell what a value that is kept would be
		{ zones, alone: true, explain: explain || (kept.length > 0 && 'outcomes') }
	);
	const [record] = records;
	const found: OutOfLine[] = [];
	for (const s of needs.length ? [] : standing) {
		const n = s.node;
		if (fields && !fields.has(n.field.id)) continue;
		const stored = r.values[n.index];
		const failed = record.failures.find(
			(f) => f.field === n.field.id && locked(n, f.claim) !== undefined
		);
		if (failed) {
			const { claim, message } = failed;
			const of = { field: n.field.id, claim, stored, result: stored };
			found.push({ ...of, byHand: false, failed: message });
			continue;
		}
		const one =
			changed(s, record, stored) ?? (kept.includes(n) ? against(s, record, stored) : null);
		if (one && !onceSet(n, r.by.get(n.field.id), one.claim))
			found.push({ ...one, field: n.field.id, stored, failed: null });
	}
	return { needs, found, record };
}

type Found = Pick<OutOfLine, 'claim' | 'result' | 'byHand'>;

const locked = (n: PlanNode, claim: string) =>
	n.claims.find((c) => c.id === claim && c.output.hold === 'locked');

/** A field that comes out otherwise, by a claim of its own. */
function changed(s: Standing, record: SettledRecord, stored: Value): Found | null {
	const c = record.changes.find((x) => x.field === s.node.field.id);
	if (!c || same(stored, c.to) || !s.claims.some((x) => x.id === c.claim)) return null;
	return { claim: c.claim!, result: c.to, byHand: false };
}

/** A field that was kept, and would come out otherwise. */
function against({ claims }: Standing, record: SettledRecord, stored: Value): Found | null {
	const r = record.reports?.find(
		(x) => x.outcome === 'kept' && claims.some((c) => c.id === x.claim)
	);
	if (!r || r.value === undefined || same(stored, r.value)) return null;
	return { claim: r.claim, result: r.value, byHand: true };
}

/** An event gave the value, by a claim that is there still: it is not expected to come out again. */
function onceSet(n: PlanNode, by: string | undefined, now: string): boolean {
	const c = by === undefined ? undefined : n.claims.find((x) => x.id === by);
	return c !== undefined && !stands(c) && !locked(n, now);
}

/** A field as plans name it on request: {@link Change.only}. */
export const onlyField = (type: string, field: string): ReadonlySet<string> =>
	new Set([refKey(type, field)]);
