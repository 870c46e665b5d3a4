/** Fields that hold a set: what rules add to it and withdraw again. */
import { hold, misfit } from '../fields/codec';
import type { BodyResult } from '../kinds/spec';
import type { Claim, PlanNode } from '../plan/plan';
import { same } from '../value/value';
import { failure } from './attempt';
import { applies, cause, triggered } from './conditions';
import { report } from './evidence';
import type { Pass } from './pass';
import type { Working } from './working';
import { WITHOUT, fail, listOf, write } from './working';

/**
 * Sets that rules add to: what an adding claim gave before is withdrawn, what it gives now is
 * added, and what people put there stays.
 */
export function addTo(pass: Pass, rec: Working, node: PlanNode) {
	const i = node.index;
	let options = listOf(rec.settled[i]);
	const added = new Map<string, readonly string[]>(rec.out.added);
	rec.out.added = added;
	const kept: [Claim, readonly string[]][] = [];
	for (const c of node.adders) {
		pass.env.begin(rec);
		const memory = rec.submitted.added?.get(c.id);
		try {
			if (!triggered(pass, rec, c)) {
				report(pass, rec, c, 'not triggered');
				if (memory) kept.push([c, memory]);
				continue;
			}
			if (rec.given[i] && rec.stamps[i] > cause(pass, rec, c)) {
				report(
					pass,
					rec,
					c,
					'kept',
					rec.submitted.keep === 'touched' ? {} : { asked: pass.change.entryPoint }
				);
				if (memory) kept.push([c, memory]);
				continue;
			}
			const before = memory ?? (rec.submitted.created ? [] : gaveBefore(pass, rec, c));
			const fit = applies(pass, rec, c);
			const result: BodyResult = fit === true ? c.run(pass.env) : { got: false, why: 'null' };
			const now = result.got ? listOf(hold(node.field, result.value)) : [];
			const rest = options.filter((o) => !before.includes(o));
			const fresh = now.filter((o) => !rest.includes(o));
			const next = [...rest, ...fresh];
			const wrong = misfit(node.field, next, rec.was[i], pass.schema);
			if (wrong) {
				fail(rec, c, wrong);
				report(pass, rec, c, 'failed', { message: wrong });
				continue;
			}
			const same0 = same(next, options);
			options = next;
			kept.push([c, fresh]);
			report(
				pass,
				rec,
				c,
				fit !== true ? fit : !result.got ? WITHOUT[result.why] : same0 ? 'same value' : 'wrote',
				{ value: now, row: result.row }
			);
			if (!same0) write(rec, node, options.length ? options : null, c);
		} catch (e) {
			const { pending, message } = failure(e);
			if (!pending) fail(rec, c, message);
			report(pass, rec, c, pending ? 'pending' : 'failed', { message });
		}
	}
	for (const [c, given] of kept)
		added.set(
			c.id,
			given.filter((o) => options.includes(o))
		);
}

/** What an adding claim gave for the stored values. */
function gaveBefore(pass: Pass, rec: Working, c: Claim): readonly string[] {
	if (!c.rule.moments.includes('changed')) return [];
	if (c.rule.guard && c.guardBefore!(pass.env) !== true) return [];
	const r = c.runBefore!(pass.env);
	return r.got ? listOf(hold(c.field, r.value)) : [];
}
