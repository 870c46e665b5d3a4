/** What a rehearsal tells, in words. */
import type { JsonValue, LeftOut, Surprise, Unrehearsed } from '$core';
import type { KeptRehearsal, RehearsalResult } from '$server/db/rehearsals';
import { andList, formatCount, formatValue, sayVersionOf } from '../words/format';
import type { Workbench } from '../work/workbench.svelte';

export const sayAsked = (
	a: Pick<KeptRehearsal, 'before' | 'after' | 'file'> & {
		rows?: { label: string; edits: number } | null;
	}
): string =>
	a.rows
		? `an edit of ${a.rows.edits === 1 ? 'a row' : `${a.rows.edits} rows`} of “${a.rows.label}” against its rows as they stood`
		: `${sayVersionOf(a, 'after')} against ${sayVersionOf(a, 'before')}`;

/** A field by its key (`type.field`), with its type. */
export function sayField(w: Workbench, key: string): string {
	const [type, field] = key.split('.');
	return `${w.schema.types.get(type)?.type.label ?? type}: ${w.schema.field(type, field)?.label ?? field}`;
}

/** A value as people read it. */
export function sayValueOf(w: Workbench, type: string, field: string, v: JsonValue): string {
	const f = w.schema.field(type, field);
	if (!f) return String(v ?? 'blank');
	return formatValue(f, v, w.schema, w.titles.all) || 'blank';
}

export const many = (n: number, one: string, more: string) =>
	`${formatCount(n)} ${n === 1 ? one : more}`;

/** A surprise in one line, and what more is known of it. */
export function saySurprise(
	w: Workbench,
	r: RehearsalResult,
	s: Surprise
): { line: string; more: string | null } {
	return r.replay ? sayReplayed(w, r, s) : sayRehearsed(w, r, s);
}

const ruleName = (r: RehearsalResult, claim: string) => r.rules[claim]?.name ?? claim;
const whom = (r: RehearsalResult, people: readonly { account: string; count: number }[] = []) =>
	people.map((p) => `${r.names[p.account] ?? 'somebody'} (${formatCount(p.count)})`).slice(0, 5);
const followsFrom = (w: Workbench, from: readonly string[]) =>
	from.length ? `It follows from ${andList(from.slice(0, 4).map((k) => sayField(w, k)))}.` : null;
const sentBy = (people: readonly string[]) =>
	people.length ? `Who sent them: ${andList(people)}.` : null;

function sayReplayed(
	w: Workbench,
	r: RehearsalResult,
	s: Surprise
): { line: string; more: string | null } {
	const changes = many(s.count, 'change', 'changes');
	switch (s.kind) {
		case 'overwritten':
			return {
				line: `${many(s.count, 'value that was sent', 'values that were sent')} would not have stood in ${sayField(w, `${s.type}.${s.field}`)}`,
				more: 'Whoever sent it would have seen another value in its place.'
			};
		case 'blanked':
			return {
				line: `${sayField(w, `${s.type}.${s.field}`)} would have become blank in ${changes}`,
				more: null
			};
		case 'follows':
			return {
				line: `${sayField(w, `${s.type}.${s.field}`)} differs in ${changes}, though none of its rules does`,
				more: followsFrom(w, s.from)
			};
		case 'refused':
			return {
				line: `“${ruleName(r, s.claim)}” would have refused ${changes}`,
				more: sentBy(whom(r, r.refused.find((x) => x.claim === s.claim)?.people))
			};
		case 'sends':
			return {
				line: `“${ruleName(r, s.claim)}” would have sent ${many(s.count, 'message', 'messages')} that did not leave so`,
				more: null
			};
		case 'unsent':
			return {
				line: `${many(s.count, 'message', 'messages')} of “${ruleName(r, s.claim)}” would not have left so`,
				more: null
			};
		case 'admitted':
			return {
				line: `${changes} that “${ruleName(r, s.claim)}” refused would have gone through`,
				more: sentBy(whom(r, r.replay?.admitted.find((x) => x.claim === s.claim)?.people))
			};
	}
}

function sayRehearsed(
	w: Workbench,
	r: RehearsalResult,
	s: Surprise
): { line: string; more: string | null } {
	switch (s.kind) {
		case 'overwritten':
			return {
				line: `${many(s.count, 'value that somebody entered', 'values that somebody entered')} would be overwritten in ${sayField(w, `${s.type}.${s.field}`)}`,
				more: 'Bringing records into line spares them unless told otherwise; the next change that sets the rule off does not.'
			};
		case 'blanked':
			return {
				line: `${sayField(w, `${s.type}.${s.field}`)} would become blank in ${many(s.count, 'record', 'records')}`,
				more: null
			};
		case 'follows':
			return {
				line: `${sayField(w, `${s.type}.${s.field}`)} changes in ${many(s.count, 'record', 'records')}, though none of its rules does`,
				more: followsFrom(w, s.from)
			};
		case 'refused': {
			const people = whom(r, r.refused.find((x) => x.claim === s.claim)?.people);
			return {
				line: `“${ruleName(r, s.claim)}” would refuse ${many(s.count, 'record', 'records')} at the next change that concerns it`,
				more: people.length
					? `Who entered values of these records will meet it: ${andList(people)}.`
					: null
			};
		}
		default: {
			const told = r.sends.find((x) => x.claim === s.claim);
			return {
				line: `“${ruleName(r, s.claim)}” would send ${many(s.count, 'message', 'messages')} about ${many(told?.records ?? 0, 'record', 'records')}`,
				more: 'If they were saved with the new values; a release by itself sends nothing.'
			};
		}
	}
}

/** What the records behind a surprise are behind, and which of them. */
export function behindSurprise(s: Surprise): {
	about: string;
	only?: 'overwritten' | 'blanked';
} {
	switch (s.kind) {
		case 'overwritten':
		case 'blanked':
			return { about: `value ${s.type}.${s.field}`, only: s.kind };
		case 'follows':
			return { about: `value ${s.type}.${s.field}` };
		default:
			return { about: `${s.kind} ${s.claim}` };
	}
}

export const WHY_NOT: Record<Unrehearsed['why'], string> = {
	event: 'depends on what happens in a change; trials and their sequences show it',
	once: 'gives its value only when a record is made',
	fill: 'fills a blank only when a change sets it off, or on request where blanks are filled',
	message: 'sends when something happens',
	'not on request': 'leaves out what is done on request',
	'no difference': 'made no difference in these days: perhaps nothing set it off'
};

export const WHY_LEFT: Record<LeftOut, string> = {
	'nothing sent': 'of which it is not kept what was sent, or which went on from another one',
	model: 'that no longer fit the model',
	'no record': 'about a record of which history does not know enough'
};
