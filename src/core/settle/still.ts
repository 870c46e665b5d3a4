/**
 * Whether records come out of settling as they are. Of many records most do, and for those nothing has to be
 * written down: one pass serves all of them, one after the other. Where the first field in order that would come out
 * otherwise is met, it ends, and whoever wants to know what becomes of the record settles it.
 */
import type { Plan } from '../plan/plan';
import { firstLinks } from '../plan/reads';
import type { ZoneClock } from '../value/temporal';
import { node } from './fields';
import { Pass } from './pass';
import type { Change, Loader, Need, SubmittedRecord } from './types';

/** Asks records on request: what rules read of other records counts as it is stored. */
export class Still {
	private readonly pass: Pass;

	constructor(plan: Plan, change: Omit<Change, 'records'>, loader: Loader, zones: ZoneClock) {
		this.pass = new Pass(plan, { ...change, records: [], onRequest: true }, loader, {
			zones,
			alone: true
		});
	}

	/**
	 * Whether no field of a record that nobody touches would change, and no claim fails.
	 * @returns what is missing to tell it, where anything is
	 */
	of(r: SubmittedRecord): boolean | Need[] {
		const { pass } = this;
		const rec = pass.begin(r);
		for (const n of rec.plan.nodes) {
			const of = rec.rules.nodes[n];
			node(pass, rec, of);
			// what waits for a record changes nothing, and nothing was written on the way that is not there already
			if (rec.changed[of.index] || rec.out.failures.length) return false;
		}
		const needs = pass.lacks();
		return needs.length ? needs : true;
	}
}

/** The records that links lead to which the claims of some plans follow first, so that they can be loaded for many at once. */
export function firstNeeds(
	plans: readonly Plan[],
	type: string
): (r: Pick<SubmittedRecord, 'was'>) => Need[] {
	const links = new Set(plans.flatMap((p) => firstLinks(p, type)));
	const { schema } = plans[0];
	const { at } = schema.type(type);
	const steps = [...links].map((f) => ({
		i: at.get(f)!,
		target: schema.field(type, f)!.target!
	}));
	return ({ was }) =>
		steps.flatMap(({ i, target }): Need[] => {
			const to = was[i];
			return typeof to === 'string' ? [{ type: target, id: to }] : [];
		});
}
