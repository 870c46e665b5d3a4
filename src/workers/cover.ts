/** What trials try, what nobody tried, and how strong they are: off the main thread. */
import type { Notice, Plan, Proposal, RuleCover, RuleSet, Trial } from '../core';
import { cover, pointsOf, propose, runTrial, strengthOf } from '../core';
import { zones } from '../runtime/zones';
import type { Sent } from './sent';
import { Received } from './sent';

/** What is asked of the draft and its trials. */
export type CoverAsk =
	| { is: 'cover' }
	/** Trials for what nobody tried of a rule. */
	| { is: 'propose'; rule: string }
	/** The small mistakes in a rule that trials notice. */
	| { is: 'strength'; rule: string };

export interface CoverJob {
	job: number;
	draft: Sent;
	/** Left out where they are as before. */
	trials?: Trial[];
	ask: CoverAsk;
}

/** Of a rule: the points that there are, and those that are tried, with the trials that try them. */
export interface TriedOfRule {
	rule: string;
	points: number;
	tried: [key: string, trials: string[]][];
}

export type CoverAnswer = { job: number } & (
	| { is: 'cover'; rules: TriedOfRule[] }
	| { is: 'propose'; rule: string; proposals: Proposal[] }
	| { is: 'strength'; rule: string; notices: Notice[] }
);

/** Words are made where they are shown. */
const wordless = () => '';

const received = new Received();
let trials: readonly Trial[] = [];

/** What was worked out of the draft and its trials, while both stay. */
interface Known {
	plan: Plan;
	set: RuleSet;
	trials: readonly Trial[];
	rules?: RuleCover[];
	held?: readonly Trial[];
}
let known: Known | null = null;

const covered = (k: Known) => (k.rules ??= cover(k.plan, k.set, k.trials, zones, wordless));
const held = (k: Known) => (k.held ??= k.trials.filter((t) => runTrial(k.plan, t, zones).held));

/** Answers one question. */
export function covering(data: CoverJob): CoverAnswer {
	const { job, ask } = data;
	if (data.trials) trials = data.trials;
	const { plan, set } = received.take(data.draft);
	if (known?.plan !== plan || known.trials !== trials) known = { plan, set, trials };
	if (ask.is === 'cover') {
		const rules = covered(known).map(({ rule, points }): TriedOfRule => ({
			rule,
			points: points.length,
			tried: points.flatMap((p) => (p.trials.length ? [[p.key, p.trials]] : []))
		}));
		return { job, is: 'cover', rules };
	}
	const rule = set.rules.find((r) => r.id === ask.rule);
	if (ask.is === 'propose') {
		const points = covered(known).find((r) => r.rule === ask.rule)?.points ?? [];
		const open = points.filter((p) => !p.trials.length);
		const proposals = rule ? propose(plan, set, rule, open, zones) : [];
		return { job, is: 'propose', rule: ask.rule, proposals };
	}
	// one that does nothing now has no mistakes
	const does = rule && pointsOf(plan, rule, wordless).length > 0;
	const notices = does ? [...strengthOf(plan, set, rule, held(known), zones)] : [];
	return { job, is: 'strength', rule: ask.rule, notices };
}
