/** What the analysis of a rule set says. */
import type { JsonValue } from '../fields/codec';
import type { Acceptance, EntryPoint } from '../document/rules';
import type { FindingIs } from '../kinds/catalogue';
import type { BodyRepair, Place } from '../kinds/spec';
import type { Trial } from '../trials/trials';

/** Changes a rule or table so that a finding goes away; the editor applies it. */
export type Repair = { label: string } & (
	| (BodyRepair & { rule: string })
	| { do: 'watch all'; rule: string }
	| { do: 'watch less'; rule: string; field: string }
	/** A row of a reference table for a key; its other columns stay to be written. */
	| { do: 'add table row'; table: string; column: string; value: JsonValue }
	| { do: 'every entry point'; rule: string }
	| { do: 'always'; rule: string }
);

export interface Finding {
	/** What it is, by the catalogue. */
	is: FindingIs;
	/** Stable while the finding lasts, so that it has an address. */
	id: string;
	/**
	 * What it is about: the rule below, a definition, a table (there at a row, zero-based, where it lies in
	 * one), the forms of a record type, or a trial.
	 */
	part: { kind: 'rule' | 'definition' | 'table' | 'type' | 'trial'; id: string; row?: number };
	rule: string;
	type: string;
	/** Other rules that it is about as well. */
	others?: string[];
	/** The field at whose sheet it is shown. */
	field: string;
	place: Place;
	/** Blocking findings stop a release. */
	severity: 'blocking' | 'advisory';
	/** What is wrong, in one sentence. */
	message: string;
	/** A record that shows it: values sent. It was run through the engine. */
	witness?: Record<string, JsonValue>;
	/** Linked records that the witness reads. */
	near?: Trial['near'];
	/** The stored record that the witness is sent to; without it, it makes a new one. */
	was?: Record<string, JsonValue>;
	/** The road by which the witness comes in; the full form without it. */
	entryPoint?: EntryPoint;
	/** Where no record can show it: what proves it. */
	certificate?: string;
	repair?: Repair;
	/** Somebody accepted it; where that no longer stands, what it rests on has changed since. */
	accepted?: Acceptance & { stands: boolean };
}

/** Whether a finding is accepted, so that it stops nothing. */
export const isAccepted = (f: Finding): boolean => !!f.accepted?.stands;

/** Whether a finding stops a release. */
export const stopsRelease = (f: Finding): boolean => f.severity === 'blocking' && !isAccepted(f);

/** How often people set otherwise what a claim had given, in a stretch of history. */
export interface Overruled {
	wrote: number;
	overruled: number;
	/** Day, ISO 8601. */
	since: string;
}

/** Something that could not be analysed, which is never taken for sound. */
export interface NotAnalysed {
	rule: string;
	type: string;
	field: string;
	/** What was not looked at, and why. */
	message: string;
}

/** All that an analysis gives. */
export interface Checked {
	findings: Finding[];
	open: NotAnalysed[];
}
