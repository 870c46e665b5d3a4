/** Trials in words: what is changed, and what a proposed one is called. */
import type { Expectation, JsonValue, Schema, Trial, TrialStep, TrialWords } from '$core';
import { ENTRY_LABEL, sayExpectation } from '$core';
import { formatDate } from '../words/format';
import type { Workbench } from '../work/workbench.svelte';

/** What the words of trials are made with on this page. */
export const trialWords = (w: Workbench): TrialWords => ({
	schema: w.schema,
	say: (f, v) => w.sayValue(f, v) || 'blank',
	rule: (id) => w.draft.rules.find((r) => r.id === id)?.name ?? id
});

/** The same for one trial: a record that is made up with it is said by what it holds, never by a number. */
export function wordsOf(trial: Pick<Trial, 'near'>, words: TrialWords): TrialWords {
	const say: TrialWords['say'] = (f, v) => {
		if (f.type !== 'link' || typeof v !== 'string') return words.say(f, v);
		const target = words.schema.types.get(f.target!)?.type;
		const label = target?.label.toLowerCase() ?? 'record';
		const near = trial.near?.find((r) => r.type === f.target && r.id === v);
		if (near) {
			const title = target && near.values[target.title];
			if (typeof title === 'string') return title;
			const held = Object.entries(near.values);
			return held.length
				? `(a ${label} with ${sayPairs(near.type, held, own)})`
				: `(a ${label} with all blank)`;
		}
		return Number(v) >= MADE_UP ? `(any ${label})` : words.say(f, v);
	};
	const own: TrialWords = { ...words, say };
	return own;
}
/** From this number on records are made up; no real one comes near. */
const MADE_UP = 900_000_000_000_000;

/** Fields with their values: `Headcount 51, Country Norway`. */
export function sayPairs(
	type: string,
	pairs: readonly (readonly [string, JsonValue])[],
	words: TrialWords
): string {
	return pairs
		.map(([id, v]) => {
			const f = words.schema.field(type, id);
			return `${f?.label ?? id} ${f ? words.say(f, v) : String(v)}`;
		})
		.join(', ');
}

/** What a change sends, by which road where that is not the usual one. */
export function sayChange(
	type: string,
	step: Pick<TrialStep, 'sent' | 'entryPoint'>,
	words: TrialWords
) {
	const road = step.entryPoint === 'full' ? '' : `, by ${ENTRY_LABEL[step.entryPoint]}`;
	return (sayPairs(type, step.sent, words) || 'nothing') + road;
}

/** Expectations in words, one after the other. */
export const sayExpected = (type: string, all: readonly Expectation[], words: TrialWords) =>
	all.map((x) => sayExpectation(type, x, words)).join('; ');

/** Most signs of a name that is made up. */
const LONGEST = 120;

/** The name of a trial that nobody named. */
export function nameOf(trial: Trial, all: TrialWords): string {
	const words = wordsOf(trial, all);
	const name = `${sayChange(trial.type, trial, words)}: ${sayExpected(trial.type, trial.expect, words)}`;
	return name.length > LONGEST ? `${name.slice(0, LONGEST - 1)}…` : name;
}

/** What the sample of a trial is. */
export function saySample(t: Trial, all: TrialWords): string {
	const words = wordsOf(t, all);
	const label = words.schema.types.get(t.type)?.type.label ?? t.type;
	if (t.was === null) return `a new ${label.toLowerCase()}, on ${formatDate(t.at)}`;
	return `${sayPairs(t.type, Object.entries(t.was), words) || `a ${label.toLowerCase()} with all blank`}, on ${formatDate(t.at)}`;
}

/** An identity for a new trial. */
export const newTrialId = () => `t${crypto.randomUUID().slice(0, 8)}`;

/** A trial to begin with: a new record of a type, and nothing sent yet. */
export const emptyTrial = (
	schema: Schema,
	type: string,
	at: string,
	person: string | null
): Trial => ({
	id: newTrialId(),
	name: '',
	type: schema.type(type).type.id,
	was: null,
	sent: [],
	entryPoint: 'full',
	at,
	person,
	expect: []
});
