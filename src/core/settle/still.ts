/**
 * Whether records come out of settling as they are. Of many records most do, and for those nothing has to be
 * written down: one pass serves all of them, one after the other. Where the first field in order that would come out
 * otherwise is met, it ends, and whoever wants to know what becomes of the record settles it.
 */
import type { Plan } from '../plan/plan';
import { firstSteps } from '../plan/reads';
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

/** What of other records the claims of some plans come to first from a record, so that it can be loaded for many at once. */
export function firstNeeds(
	plans: readonly Plan[],
	type: string
): (r: Pick<SubmittedRecord, 'id' | 'was'>) => Need[] {
	const steps = plans.flatMap((p) => firstSteps(p, type));
	const { schema } = plans[0];
	const { at } = schema.type(type);
	return ({ id, was }) =>
		steps.flatMap(({ type: of, field, back }): Need[] => {
			if (back) return [{ type: of, field, of: id }];
			const to = was[at.get(field)!];
			return typeof to === 'string' ? [{ type: schema.field(type, field)!.target!, id: to }] : [];
		});
}
