/**
 * Trials: a thousand of them run, what they try worked out, trials proposed for what nobody tried, and how
 * strong they are, on the rules of the demo. The core alone, as a worker of a page runs it.
 *
 *   npm run bench -- trials
 */
import { demoModel } from '../demo/model';
import { demoReleases } from '../demo/rules';
import { demoTrials } from '../demo/trials';
import type { Trial } from '../src/core';
import {
	Schema,
	compilePlan,
	cover,
	pointsOf,
	propose,
	runTrial,
	strengthOf,
	touchedTrials
} from '../src/core';
import { alterationsOf } from '../src/core/cover/alter';
import { zones } from '../src/runtime/zones';
import { beside, ratio } from './measure';

const { set } = demoReleases.at(-1)!;
const plan = compilePlan(new Schema(demoModel), set);
const wordless = () => '';
const thousand = Array.from({ length: 1000 }, (_, i) => ({
	...demoTrials[i % demoTrials.length],
	id: `t${i}`
}));
const hundred = thousand.slice(0, 100);

console.log(`\nTrials, on ${set.rules.length} rules`);
const run = (trials: readonly Trial[]) => () => {
	for (const t of trials) runTrial(plan, t, zones);
};
/** An edit of one rule, and the trials that it can touch. */
const [edit] = alterationsOf(
	set,
	set.rules.find((r) => r.id === 'size_class')!,
	plan.schema
);
const after = compilePlan(plan.schema, edit.set);
const touched = () => thousand.filter(touchedTrials(plan, after));
const took = beside({
	'1 000 trials, all of them run': run(thousand),
	'those of 1 000 that an edit of one rule can touch, found and run': () => run(touched())(),
	'100 trials': run(hundred),
	'what 100 trials try of the rules': () => cover(plan, set, hundred, zones, wordless)
});
ratio('1 000 against 100', took['1 000 trials, all of them run'], took['100 trials']);
ratio(
	`those that an edit can touch (${touched().length}), against all of them`,
	took['those of 1 000 that an edit of one rule can touch, found and run'],
	took['1 000 trials, all of them run']
);
ratio(
	'what they try, against running them',
	took['what 100 trials try of the rules'],
	took['100 trials']
);

/** All of it once: too long for rounds. */
function once<T>(name: string, work: () => T): T {
	const from = performance.now();
	const out = work();
	console.log(`  ${name.padEnd(66)} ${(performance.now() - from).toFixed(0).padStart(7)} ms`);
	return out;
}
const share = (trials: readonly Trial[]) => {
	const points = cover(plan, set, trials, zones, wordless).flatMap((r) => r.points);
	return `${points.filter((p) => p.trials.length).length} of ${points.length} points`;
};
const strength = (trials: readonly Trial[]) => {
	const held = trials.filter((t) => runTrial(plan, t, zones).held);
	const all = set.rules.flatMap((r) => [...strengthOf(plan, set, r, held, zones)]);
	return {
		all: all.length,
		noticed: all.filter((n) => n.by).length,
		would: all.filter((n) => n.would).length
	};
};
const proposed = once('trials proposed for all that nobody tried', () =>
	cover(plan, set, demoTrials, zones, wordless).flatMap((r) => {
		const rule = set.rules.find((x) => x.id === r.rule)!;
		const open = pointsOf(plan, rule, wordless).filter(
			(p) => !r.points.find((x) => x.key === p.key)!.trials.length
		);
		return propose(plan, set, rule, open, zones).map((p, i) => ({
			...p.trial,
			id: `${rule.id}-${i}`
		}));
	})
);
const own = once('strength of the demo’s own trials, every rule', () => strength(demoTrials));
const both = [...demoTrials, ...proposed];
const more = once('the same with those proposed', () => strength(both));
console.log(`  tried: ${share(demoTrials)}; with ${proposed.length} proposed: ${share(both)}`);
console.log(
	`  mistakes noticed: ${own.noticed} of ${own.all}, ${own.would} more shown by a trial; then ${more.noticed} of ${more.all}, ${more.would}`
);
