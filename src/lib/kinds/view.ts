/** How a kind of rule is shown: the words it adds to the sentence, and its editor below. */
import type { Component } from 'svelte';
import type { BodyKind, BodyOf, ClaimReport, Field, Format, Output, Rule } from '$core';
import type { Workbench } from '../work/workbench.svelte';

/** What the words of a kind get. */
export interface WordsProps<B> {
	rule: Rule;
	body: B;
	/** The output they stand at, and its place among the outputs. */
	output: Output;
	i: number;
	/** The rule is open, and not only read. */
	opened: boolean;
	disabled: boolean;
}

export interface EditorProps<B> {
	rule: Rule;
	body: B;
	/** The field on whose sheet the rule is shown. */
	field: Field;
	/** What it did at the sample. */
	report: ClaimReport | undefined;
	disabled: boolean;
}

export interface EvidenceProps<B> {
	rule: Rule;
	body: B;
	field: Field;
	report: ClaimReport;
	format: Format;
}

/** The words of a kind that has no outputs, or that stand behind all of them. */
export type AfterProps<B> = Omit<WordsProps<B>, 'output' | 'i'>;

export interface View<B> {
	/**
	 * Of a kind that writes: what an output becomes, between the field and its hold. Of one that
	 * judges: all that stands behind the condition. Null for one without outputs.
	 */
	words: Component<WordsProps<B>> | null;
	/** What is said once, behind all outputs. */
	after: Component<AfterProps<B>> | null;
	/** Fetched when a rule is opened: reading rules needs none of it. */
	editor: () => Promise<{ default: Component<EditorProps<B>> }>;
	/** Beside the reason in a full explanation. */
	evidence: Component<EvidenceProps<B>> | null;
}

/** Changes the body of a rule, as one step of the history; a rule whose kind changed since stays as it is. */
export const bodyEdit =
	<K extends BodyKind>(w: Workbench, rule: () => Rule, kind: K) =>
	(label: string, change: (body: BodyOf<K>, rule: Rule) => BodyOf<K>) =>
		w.editRule(label, rule().id, (r) =>
			r.body.kind === kind ? { ...r, body: change(r.body as BodyOf<K>, r) } : r
		);
