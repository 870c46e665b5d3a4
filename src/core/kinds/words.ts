/** Sentences that several kinds share. */
import type { Blank } from '../document/rules';
import type { SaidPart, Saying, Told } from './spec';

/** `its input is blank`, by the name of what is blank. */
export const isBlank = (t: Told): string => `${t.blank[0] ?? 'its input'} is blank`;

/** For what computes: by what it was computed; what only reacts says what changed. */
export function computedFrom(t: Told): string {
	if (t.outcome === 'blank') return isBlank(t);
	const nothing = t.outcome === 'cleared' || t.outcome === 'left';
	if (nothing && t.blank.length) return isBlank(t);
	if (nothing)
		return t.read.length ? `it gives nothing for ${t.read.join(', ')}` : 'it gives nothing';
	const from = [...t.read, ...t.counted];
	if (from.length) return `it is computed from ${from.join(', ')}`;
	const { type, watch } = t.rule;
	const watched = (watch ?? []).map((field) => t.label({ type, field }));
	return watched.length ? `${watched.join(' or ')} changed` : 'that is what the rule gives';
}

const ORDINAL = [
	'first',
	'second',
	'third',
	'fourth',
	'fifth',
	'sixth',
	'seventh',
	'eighth',
	'ninth',
	'tenth'
];
/** Zero-based: `first`, `second`, `11th`. */
export const nth = (k: number) => ORDINAL[k] ?? `${k + 1}th`;

/** What blank input gives, as a part of a rule. */
export const saidBlank = (blank: Blank, s: Saying): SaidPart => ({
	key: 'blank',
	label: 'Blank',
	text: !blank ? 'nobody said' : 'none' in blank ? 'nothing' : s.values(blank.give)
});

/** When a check counts, as a part of a rule. */
export const saidWhen = (always: boolean): SaidPart => ({
	key: 'always',
	label: 'It counts',
	text: always ? 'at every save' : 'when something it reads changes'
});
