/**
 * Claims on one field, two by two: whether both can apply to one record, so that their order counts,
 * with a record that shows it.
 */
import type { JsonValue } from '../document/json';
import { toJson } from '../fields/codec';
import type { Expr } from '../document/tree';
import { axesOf, combinations, type Spot } from '../spots/cells';
import type { Claim, Plan, PlanNode } from '../plan/plan';
import { writerOf } from '../kinds';
import type { Witness } from '../kinds/spec';
import type { Value } from '../value/value';
import { same } from '../value/value';
import type { ZoneClock } from '../value/temporal';
import { candidates } from './candidates';
import { carried } from './context';
import { ask, bodyParts, guardAxes, isEvent } from './guards';
import { Probe, TooMuch } from './probe';
import type { Finding } from './types';

/** What is known of two claims on one field. */
export type Between = {
	/** The rules, in claim order. */
	first: string;
	second: string;
} & (
	| {
			/** Both can apply, and give something else: the first decides. */
			is: 'order counts';
			/** A record that shows it, and what each gives it by itself. */
			shown: Pick<Finding, 'witness' | 'near' | 'was' | 'entryPoint'>;
			gives: [JsonValue, JsonValue];
	  }
	/** Both can apply and then give the same, or they never apply together: their order does not matter. */
	| { is: 'same' | 'never'; tried: number }
	/** They are never set off together: other moments or other roads. */
	| { is: 'apart' }
	| { is: 'unknown' }
);

/** Every two claims on a field, those that stand first first. */
export function betweenClaims(
	plan: Plan,
	type: string,
	field: string,
	zones: ZoneClock
): Between[] {
	const at = plan.schema.types.get(type)?.at.get(field);
	const place = at === undefined ? -1 : (plan.types.get(type)?.position[at] ?? -1);
	const node = plan.nodes[place];
	if (!node) return [];
	return node.claims.flatMap((b, k) =>
		node.claims.slice(0, k).map((a): Between => {
			const pair = { first: a.rule.id, second: b.rule.id };
			try {
				return { ...pair, ...between(new Probe(plan, zones), node, a, b) };
			} catch (e) {
				if (!(e instanceof TooMuch)) throw e;
				return { ...pair, is: 'unknown' };
			}
		})
	);
}

type Said<T> = T extends unknown ? Omit<T, 'first' | 'second'> : never;

function between(probe: Probe, node: PlanNode, a: Claim, b: Claim): Said<Between> {
	if (!meet(a, b)) return { is: 'apart' };
	const alone = [a, b].map((c) => only(probe, node, c)) as [Probe, Probe];
	const axes = isEvent(a) || isEvent(b) ? null : axesOfBoth(probe, a, b);
	let tried = 0;
	let both = false;
	if (axes)
		for (const values of combinations(axes)) {
			tried++;
			const w = probe.witness(node.type, axes, values);
			const env = probe.env(node.type, w);
			if (!ask(a, env)?.decides || !ask(b, env)?.decides) continue;
			both = true;
			const shown = tell(alone, node, a, b, w);
			if (shown) return shown;
		}
	if (axes && !both) return { is: 'never', tried };
	if (axes && constants(a) && constants(b)) return { is: 'same', tried };
	for (const c of [a, b])
		for (const w of candidates(probe, c, node)) {
			const shown = tell(alone, node, a, b, w);
			if (shown) return shown;
		}
	return { is: 'unknown' };
}

/** Whether some change sets both off: at a moment and by a road that both take. */
function meet(a: Claim, b: Claim): boolean {
	const moments = (c: Claim) => (c.output.hold === 'once' ? ['created' as const] : c.rule.moments);
	if (!moments(a).some((m) => moments(b).includes(m))) return false;
	const [x, y] = [a.rule.entryPoints, b.rule.entryPoints];
	return !x || !y || x.some((e) => y.includes(e));
}

/** What tells apart whether both apply; null when that is not known. */
function axesOfBoth(probe: Probe, a: Claim, b: Claim) {
	const truths: Expr[] = [];
	const values: Expr[] = [];
	const read: { spot: Spot; constants: Value[] }[] = [];
	for (const c of [a, b]) {
		const guard = guardAxes(probe, c.rule);
		const parts = bodyParts(probe, c.rule, c.rule.outputs.indexOf(c.output));
		if (!guard || !parts) return null;
		truths.push(...guard);
		values.push(...parts.values);
		read.push(...parts.read);
	}
	return axesOf(probe.schema, truths, values, read);
}

/** Whether what a claim gives depends on nothing but which of its stretches or cases is met. */
export const constants = (c: Claim) =>
	(!c.used.length && !c.outside.size) ||
	!!writerOf(c.rule.body)?.results(c.rule.body, c.rule.outputs.indexOf(c.output));

/** The engine with one claim alone on the field. */
function only(probe: Probe, node: PlanNode, c: Claim): Probe {
	const lone = { ...node, claims: [c] };
	const nodes = probe.plan.nodes.map((n) => (n === node ? lone : n));
	return new Probe({ ...probe.plan, nodes }, probe.zones, probe.effort).only(node.type, lone);
}

/** A record run through the engine with each claim by itself; null where they do not both give something else. */
function tell(
	alone: [Probe, Probe],
	node: PlanNode,
	a: Claim,
	b: Claim,
	w: Witness
): Said<Between> | null {
	const witness = structuredClone(w);
	alone[0].setOff(a.rule, witness);
	const given = [a, b].map((c, i) => {
		const { values, reports } = alone[i].run(node.type, witness);
		const outcome = reports.find((r) => r.claim === c.id)?.outcome;
		// one that passes on clears a Locked field only where nothing stands below it
		const clears = outcome === 'cleared' && c.output.none !== 'next';
		const did = outcome === 'wrote' || outcome === 'same value' || clears;
		return did ? { value: values[node.index] } : null;
	});
	const [x, y] = given;
	if (!x || !y || same(x.value, y.value)) return null;
	return {
		is: 'order counts',
		shown: carried(witness),
		gives: [toJson(x.value), toJson(y.value)]
	};
}
