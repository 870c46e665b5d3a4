/** Rules as documents: what is stored, exported, released and compiled. All JSON. */
import type { Template } from '../feel/template';
import type { Formula } from '../feel/tree';
import type { JsonValue } from './codec';

export type { Formula };

/** The five verbs of the job. */
export type Kind = 'default' | 'derive' | 'categorize' | 'map' | 'validate';

/** How firmly a claim owns its field. */
export type Hold = 'locked' | 'follow' | 'fill' | 'once';

/** The roads by which a change comes in. */
export const ENTRY_POINTS = ['full', 'short', 'import', 'api', 'bulk'] as const;
export type EntryPoint = (typeof ENTRY_POINTS)[number];

/** When a rule applies: on new records, on existing ones, on request. */
export const MOMENTS = ['created', 'changed', 'request'] as const;
export type MomentName = (typeof MOMENTS)[number];

/** What a claim does when its expression has no result. */
export type NoResult = 'next' | 'leave' | 'clear';

/** One output of a rule on one field. */
export interface Output {
	/** Unique within the rule. */
	id: string;
	field: string;
	hold: Hold;
	/** While it applies, only rules set the field. */
	closed?: boolean;
	none: NoResult;
}

/** A limit between two bands: the value, and the band to which the value itself belongs. */
export interface Limit {
	at: string;
	belongs: 'above' | 'below';
}

/** What blank input gives: a result, or what *no result* means to the outputs. Not saying is a finding. */
export type Blank = { give: JsonValue[] } | { none: true } | null;

export type Body =
	/** One formula for each output. */
	| { kind: 'formula'; formulas: Formula[] }
	/**
	 * Ordered limits on a number or date. There is one more result than there are limits; a null
	 * result is a stretch that no band takes.
	 */
	| {
			kind: 'bands';
			input: Formula;
			limits: Limit[];
			results: (JsonValue[] | null)[];
			blank: Blank;
	  }
	/** Option (or yes/no) of one field to results; options left out are not decided. */
	| { kind: 'options'; input: string; rows: Record<string, JsonValue[]>; blank: Blank }
	/** What must hold, and what is said at the output's field when it does not. */
	| { kind: 'check'; holds: Formula; message: Template; blocking: boolean; always: boolean }
	/** What the output's field is while the guard holds. `options` are those left by `limited`. */
	| { kind: 'state'; state: FieldState; options: string[]; always: boolean }
	/** Option of one field to the options allowed in the output's field; options left out limit nothing. */
	| { kind: 'allowed'; input: string; rows: Record<string, string[]> };

/** What a Validate rule makes of a field. */
export const FIELD_STATES = ['required', 'read-only', 'hidden', 'limited'] as const;
export type FieldState = (typeof FIELD_STATES)[number];

export interface Rule {
	id: string;
	/** Record type. */
	type: string;
	kind: Kind;
	name: string;
	/** One line on why the rule exists. */
	why: string;
	moments: MomentName[];
	/** Null for every entry point. */
	entryPoints: EntryPoint[] | null;
	/** Fields whose change makes it run; null for all that it reads. */
	watch: string[] | null;
	/** Applies only when the guard comes to hold. */
	entering: boolean;
	guard: Formula | null;
	outputs: Output[];
	body: Body;
	/** Switched off: kept, and not compiled. */
	off?: boolean;
}

/** Names one output of one rule. */
export const claimId = (rule: string, output: string) => `${rule}:${output}`;

/** Everything that decides values: what a draft holds and a release fixes. */
export interface RuleSet {
	rules: Rule[];
	/** Claim order by field (`type.field`): claim ids, first first. Claims left out come last, by place in `rules`. */
	order: Record<string, string[]>;
}
