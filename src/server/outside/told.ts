/** What systems outside are told of a record in a change: an event of CloudEvents 1.0, in its JSON format. */
import type { JsonValue } from '../../core';
import type { HookEvent } from '../db/hooks';
import type { SaveOutcome } from '../records/describe';

/** The media type of an event (CloudEvents 1.0, JSON Event Format, 3). */
export const EVENT_TYPE = 'application/cloudevents+json; charset=utf-8';

/** The change that is told of. */
export interface ToldChange {
	workspace: string;
	/** Its number. */
	number: string;
	/** ISO 8601. */
	at: string;
	/** The road on which it came, and who made it. */
	entryPoint: string;
	by: string;
	release: number;
}

/** What is told of a record: what changed in it, by which rule and why, and all that it holds now. */
export type ToldRecord = Pick<SaveOutcome, 'type' | 'id' | 'version' | 'values'> & {
	kind: HookEvent['kind'];
	/** The release that decided it, where that is not the one of the change. */
	release?: number;
	changes: SaveOutcome['changes'];
};

/** What stands in the `data` of an event. */
export interface EventData {
	type: string;
	id: string;
	/** Grows by one with each change of the record; its deletion is one as well. */
	version: number;
	change: string;
	entryPoint: string;
	by: string;
	release: number;
	changes: {
		field: string;
		from: JsonValue;
		to: JsonValue;
		rule: string | null;
		because: string | null;
	}[];
	values: Record<string, JsonValue>;
}

/** The event of a record in a change. Its `id` is the same however often, and to whomever, it is told. */
export function eventOf(c: ToldChange, r: ToldRecord): HookEvent {
	const { type, id, version, kind, values } = r;
	const data: EventData = {
		type,
		id,
		version,
		change: c.number,
		entryPoint: c.entryPoint,
		by: c.by,
		release: r.release ?? c.release,
		changes: r.changes.map(({ field, from, to, rule, because }) => ({
			field,
			from,
			to,
			rule,
			because
		})),
		values
	};
	const event = {
		specversion: '1.0',
		id: eventId({ change: c.number, type, record: id }),
		source: `/${c.workspace}`,
		type: `rigid-rule.record.${kind}`,
		subject: `${type}/${id}`,
		time: c.at,
		datacontenttype: 'application/json',
		data
	};
	return { change: c.number, type, record: id, kind, body: JSON.stringify(event) };
}

/** By which a receiver knows an event that came before. */
export const eventId = (e: Pick<HookEvent, 'change' | 'type' | 'record'>): string =>
	`${e.change}.${e.type}.${e.record}`;
