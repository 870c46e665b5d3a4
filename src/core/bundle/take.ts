/** Parts of a bundle, already in the identities of this workspace, put into the draft. */
import { canonicalJson } from '../document/canonical';
import type { ReferenceTable } from '../document/model';
import { refKey } from '../document/model';
import { claimId, type Rule, type RuleSet } from '../document/rules';
import { usesOf } from '../plan/uses';
import type { Trial } from '../trials/trials';

/** A part of a rule set, as it is chosen: a rule, definition or table by its identity here, an order by `type.field`. */
export const partKey = (part: 'rule' | 'definition' | 'table' | 'order', id: string) =>
	`${part} ${id}`;

/** Parts of a rule set with the definitions and tables that they use, and those that these use: all of them keys. */
export function withUsed(set: RuleSet, keys: readonly string[]): ReadonlySet<string> {
	const uses = [
		...(set.definitions ?? []).map(({ id }) => ({
			key: partKey('definition', id),
			by: usesOf(set, { definition: id })
		})),
		...(set.tables ?? []).map(({ id }) => ({
			key: partKey('table', id),
			by: usesOf(set, { table: id })
		}))
	];
	const out = new Set(keys);
	for (let n = -1; n !== out.size;) {
		n = out.size;
		for (const { key, by } of uses)
			if (by.some((u) => out.has(partKey(u.part, u.id)))) out.add(key);
	}
	return out;
}

/** The draft with all of one list that was chosen: in the place of what it is here, else behind its neighbour there. */
function withThose<T extends { id: string }>(
	mine: readonly T[] | undefined,
	there: readonly T[] | undefined,
	chosen: (t: T) => boolean
): readonly T[] | undefined {
	if (!there?.some(chosen)) return mine;
	const out = [...(mine ?? [])];
	let behind = -1;
	for (const t of there) {
		const at = out.findIndex((x) => x.id === t.id);
		if (at >= 0) {
			behind = at;
			if (chosen(t)) out[at] = t;
		} else if (chosen(t)) {
			behind = behind < 0 ? out.length : behind + 1;
			out.splice(behind, 0, t);
		}
	}
	return out;
}

/** The claims of a field, first to last: those that its order names, then the rest by place. */
function claimsOf(set: RuleSet, key: string): string[] {
	const all = set.rules.flatMap((r) =>
		r.outputs.flatMap((o) => (refKey(r.type, o.field) === key ? [claimId(r.id, o.id)] : []))
	);
	const order = (set.order[key] ?? []).filter((c) => all.includes(c));
	return [...order, ...all.filter((c) => !order.includes(c))];
}

/** Two orders made one: the leading one as it is, each that it lacks behind what it stands behind in the other. */
function woven(lead: readonly string[], other: readonly string[]): string[] {
	const out = [...lead];
	let at = -1;
	for (const c of other) {
		const place = out.indexOf(c);
		if (place >= 0) at = place;
		else out.splice(++at, 0, c);
	}
	return out;
}

/**
 * The draft with what was chosen of a rule set. Rows of a table that is living here stay those here.
 * @param chosen keys as of {@link partKey}; an order that is not among them changes by new rules alone
 */
export function withTaken(draft: RuleSet, taken: RuleSet, chosen: ReadonlySet<string>): RuleSet {
	const rules = withThose(draft.rules, taken.rules, (r) => chosen.has(partKey('rule', r.id)));
	const definitions = withThose(draft.definitions, taken.definitions, (d) =>
		chosen.has(partKey('definition', d.id))
	);
	const living = new Set((draft.tables ?? []).filter((t) => t.living).map((t) => t.id));
	const incoming = taken.tables?.map((t): ReferenceTable =>
		t.living && living.has(t.id) ? { ...t, rows: [] } : t
	);
	const tables = withThose(draft.tables, incoming, (t) => chosen.has(partKey('table', t.id)));
	const next: RuleSet = {
		...draft,
		rules: rules as Rule[],
		...(definitions ? { definitions } : {}),
		...(tables ? { tables } : {})
	};
	const order = { ...draft.order };
	const fields = new Set([
		...Object.keys(taken.order),
		...taken.rules.flatMap((r) => r.outputs.map((o) => refKey(r.type, o.field)))
	]);
	for (const key of fields) {
		const there = new Set(claimsOf(next, key));
		const [mine, its] = [claimsOf(draft, key), claimsOf(taken, key)].map((all) =>
			all.filter((c) => there.has(c))
		);
		const asThere = chosen.has(partKey('order', key));
		const claims = asThere ? woven(its, mine) : woven(mine, its);
		const natural = claimsOf({ ...next, order: {} }, key);
		// an order of one is none, and what stands so anyway needs no saying unless somebody said it
		const said = claims.length > 1 && (asThere || order[key] || claims.join() !== natural.join());
		if (said) order[key] = claims;
		else delete order[key];
	}
	return canonicalJson(order) === canonicalJson(draft.order)
		? { ...next, order: draft.order }
		: { ...next, order };
}

/** The trials of a bundle against those here: which are new, which would say something else, which are the same. */
export function trialsAgainst(
	mine: readonly Trial[],
	taken: readonly Trial[]
): { trial: Trial; what: 'new' | 'changed' | 'same' }[] {
	const had = new Map(mine.map((t) => [t.id, canonicalJson(t)]));
	return taken.map((trial) => {
		const old = had.get(trial.id);
		const what = old === undefined ? 'new' : old === canonicalJson(trial) ? 'same' : 'changed';
		return { trial, what };
	});
}
