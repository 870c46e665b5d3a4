/** What became of a rule in a few words, for the journal. */
import type { Road } from '../core';

/** By what came of it. */
export const OUTCOME_LABEL: Record<string, string> = {
	set: 'wrote',
	'set aside': 'set aside what was sent',
	failed: 'failed',
	refused: 'refused the change',
	nothing: 'came to nothing',
	sent: 'sent',
	'same value': 'same value already',
	'event left out': 'left out on request',
	'guard false': 'condition not met',
	'guard unknown': 'condition unknown',
	'did not come to hold': 'condition held before',
	outranked: 'another rule came first',
	kept: 'kept by hand',
	'not blank': 'not blank',
	'cleared by hand': 'cleared by hand',
	'given at creation': 'given at creation',
	'no row': 'no row matched',
	'several rows': 'several matched',
	blank: 'input blank',
	'no result': 'no result',
	left: 'left as it was',
	nobody: 'nobody to write to',
	said: 'said its message',
	'cannot tell': 'could not tell'
};

/** What a line of the journal tells, in a few words. */
export function sayOutcome(l: { outcome: string; claim: string | null; entryPoint: Road }): string {
	if (l.outcome !== 'set' || l.claim !== null) return OUTCOME_LABEL[l.outcome] ?? l.outcome;
	return l.entryPoint === 'model' ? 'taken out' : 'entered';
}
