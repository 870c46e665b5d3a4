/** Rules as documents: what is stored, exported, released and compiled. All JSON. */
import type { JsonValue } from './json';
import type { Definition, FieldRef, ReferenceTable } from './model';
import type { Formula, Template, Tests } from './tree';

export type { Definition, DefinitionType, ReferenceTable, TableColumn, TableKey } from './model';

export type { Formula, Template };

/**
 * How a field of the records searched meets a value: the very same; but for case, accents, spaces
 * and Unicode form; or by what stands behind the `@` of an e-mail address.
 */
export const MATCH_HOWS = ['exact', 'loose', 'domain'] as const;
export type MatchHow = (typeof MATCH_HOWS)[number];

/** The five verbs of the job. */
export type Kind = 'default' | 'derive' | 'categorize' | 'map' | 'validate';

/** How firmly a claim owns its field. */
export type Hold = 'locked' | 'follow' | 'fill' | 'once';

/** The verb that says how firmly a rule owns its field: the same in sentences, the ledger, history and forms. */
export const HOLD_VERB: Record<Hold, string> = {
	locked: 'always equals',
	follow: 'follows',
	fill: 'is filled with',
	once: 'starts as'
};

/** The roads by which a change comes in. */
export const ENTRY_POINTS = ['full', 'short', 'import', 'api', 'bulk'] as const;
export type EntryPoint = (typeof ENTRY_POINTS)[number];

/** What they are called. */
export const ENTRY_LABEL: Record<EntryPoint, string> = {
	full: 'full form',
	short: 'short form',
	import: 'import',
	api: 'API',
	bulk: 'bulk change'
};

/** What history says a change was made by: the road it came in on, or an edit of the model, which takes values and runs no rule. */
export const ROADS = [...ENTRY_POINTS, 'model'] as const;
export type Road = (typeof ROADS)[number];

/** What they are called. */
export const ROAD_LABEL: Record<Road, string> = { ...ENTRY_LABEL, model: 'edit of the model' };

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
	/**
	 * On a multi-choice: adds its options to what is there, and withdraws those that it added when
	 * its reason goes; what people added stays. Without it the set is replaced.
	 */
	adds?: boolean;
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
	/**
	 * One formula for each output. `blank` says what is given where something that the formula reads is
	 * blank and it comes to nothing; left out, nobody said so.
	 */
	| { kind: 'formula'; formulas: Formula[]; blank?: Blank }
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
	| {
			kind: 'options';
			input: string;
			rows: Record<string, JsonValue[]>;
			blank: Blank;
			/** Options that give nothing where their row has no value: somebody decided so. */
			nothing?: string[];
	  }
	/** What must hold, and what is said at the output's field when it does not. */
	| { kind: 'check'; holds: Formula; message: Template; blocking: boolean; always: boolean }
	/** What the output's field is while the guard holds. `options` are those left by `limited`. */
	| { kind: 'state'; state: FieldState; options: string[]; always: boolean }
	/** One composed text for each output. */
	| { kind: 'compose'; texts: Template[]; blanks: BlankParts }
	/** Parts of one text, one for each output; the last output takes the rest. */
	| {
			kind: 'split';
			input: Formula;
			at: SplitAt;
			/** What parts it; empty for white space. */
			separator: string;
			/** The output (index) that a text of one part goes to. */
			alone: number;
	  }
	/** Conditions in order, each with what it gives; the first that is so decides. */
	| CasesBody
	/** A decision table: rows of tests over inputs, and what each row gives for each output. */
	| DecisionBody
	/** The row of a reference table that the keys match, one column for each output. */
	| LookupBody
	/** The record of a type whose fields have these values, as a link. */
	| MatchBody
	/** A message that leaves when the change is kept; such a rule has no outputs. */
	| MessageBody
	/** Option of one field to the options allowed in the output's field; options left out limit nothing. */
	| { kind: 'allowed'; input: string; rows: Record<string, string[]> };

/** What becomes of blank parts of a composed text: no text at all; left out with the signs around them; or written so. */
export type BlankParts = 'no result' | 'leave out' | { write: string };

/** Where a text is parted: at the first or last separator, or at each. */
export type SplitAt = 'first' | 'last' | 'each';

/**
 * The hit policies of DMN 1.5 (chapter 8.2.10): unique, any, priority, first, rule order, output
 * order, and collect with its aggregations.
 */
export const HIT_POLICIES = ['U', 'A', 'P', 'F', 'R', 'O', 'C', 'C+', 'C<', 'C>', 'C#'] as const;
export type HitPolicy = (typeof HIT_POLICIES)[number];

/** What several matching rows mean, in words. */
export const HIT_SAYS: Record<HitPolicy, string> = {
	U: 'that is a mistake: no result',
	F: 'the first counts',
	A: 'they must agree',
	P: 'the most important value counts',
	C: 'all of them count',
	R: 'all of them count, in the order of the rows',
	O: 'all of them count, the most important first',
	'C+': 'their sum counts',
	'C<': 'the least counts',
	'C>': 'the greatest counts',
	'C#': 'their number counts'
};

/** The tests of one cell: read, or the text of one that is not finished yet. */
export type Cell = { tests: Tests } | { text: string };

export interface DecisionRow {
	id: string;
	/** One cell for each input. */
	when: Cell[];
	/** One formula for each output; null where the row gives that output nothing. */
	then: (Formula | null)[];
	note?: string;
}

export interface DecisionBody {
	kind: 'table';
	inputs: Formula[];
	hit: HitPolicy;
	rows: DecisionRow[];
	/** For `P` and `O`: the values of each output, most important first; null for the order of its options. */
	priority?: (JsonValue[] | null)[];
}

/** What a case gives an output: a value, no result, or what is done to the field instead. */
export type CaseGives = Formula | 'nothing' | 'leave' | 'clear';

export interface CasesBody {
	kind: 'cases';
	rows: {
		id: string;
		when: Formula;
		/** One for each output. */
		then: CaseGives[];
	}[];
	/** What is given where no case is so: one for each output. */
	otherwise: CaseGives[];
}

export interface LookupBody {
	kind: 'lookup';
	table: string;
	/** One formula for each key of the table, in their order. */
	keys: Formula[];
	/** One column for each output. */
	columns: string[];
	/** What several matching rows give: nothing (and the explanation says so), or the first of them. */
	several: 'no result' | 'first';
}

export interface MatchBody {
	kind: 'match';
	/** Record type that is searched. */
	type: string;
	/** A record matches when all of them do. */
	on: { field: string; how: MatchHow; value: Formula }[];
	/**
	 * What several matches give: what *no result* means to the output, or leave or clear whatever
	 * that is, or the first of them by number.
	 */
	several: 'no result' | 'leave' | 'clear' | 'first';
}

/** How often at most one message goes to one recipient about one record. */
export const ONCE_PER = ['event', 'day', 'week', 'month', 'quarter', 'year'] as const;
export type OncePer = (typeof ONCE_PER)[number];

/** The same in words. */
export const ONCE_LABEL: Record<OncePer, string> = {
	event: 'once for each event',
	day: 'at most once a day',
	week: 'at most once a week',
	month: 'at most once a month',
	quarter: 'at most once in a calendar quarter',
	year: 'at most once a year'
};

export interface MessageBody {
	kind: 'message';
	/**
	 * The link of another type that points here: a message for each of those records, which its
	 * formulas and texts then speak of. Null for one message, about the record itself.
	 */
	each: FieldRef | null;
	/** Of those records, the ones it goes to. */
	filter: Formula | null;
	/** E-mail address it goes to; blank sends nothing. */
	to: Formula;
	subject: Template;
	text: Template;
	once: OncePer;
}

/** In the place of a field, for rules that have none. */
export const MESSAGES = '~messages';

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
	/**
	 * A link of the record type: what sets the rule off happens at the record this points to, and it
	 * is done for each record that points there. Guard and watched fields are then that record's.
	 */
	each?: string;
	/** Leaves out records that another rule reached; only those that somebody submitted count. */
	submittedOnly?: boolean;
	/**
	 * Whether the rule refuses the whole change when it fails. Left out, a claim leaves its field as it
	 * was, and a check that blocks refuses.
	 */
	refuses?: boolean;
	/** Switched off: kept, and not compiled. */
	off?: boolean;
}

/** Names one output of one rule. */
export const claimId = (rule: string, output: string) => `${rule}:${output}`;

/** A finding that somebody takes as it is, until what it rests on changes. */
export interface Acceptance {
	/** The identity of the finding. */
	id: string;
	/** Digest of what it rests on (SHA-256, hex). */
	rests: string;
	/** How often history had shown it, where it rests on history. */
	times?: number;
	reason: string;
	/** The name of the person who accepted it. */
	by: string;
	/** When, ISO 8601. */
	at: string;
}

/** Everything that decides values: what a draft holds and a release fixes. */
export interface RuleSet {
	rules: Rule[];
	/** Claim order by field (`type.field`): claim ids, first first. Claims left out come last, by place in `rules`. */
	order: Record<string, string[]>;
	definitions?: readonly Definition[];
	tables?: readonly ReferenceTable[];
	/** Findings that are accepted. They decide no value. */
	accepted?: readonly Acceptance[];
}
