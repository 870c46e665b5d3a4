import type { EntryPoint, JsonValue, Trial } from '$core';

/** The pinned record beside the sheet, and the change tried on it. */
export interface Sample {
	type: string;
	/** Number of the stored record; null for a new one. */
	id: string | null;
	title: string;
	was: Record<string, JsonValue>;
	links: Record<string, string>;
	/** What rules had added to its sets, by claim. */
	added?: Record<string, string[]>;
	/** Fields touched, in order. */
	sent: [field: string, value: JsonValue][];
	entryPoint: EntryPoint;
	/** A new record, or a change of the stored one. */
	created: boolean;
	/** Day of the change, ISO; null for now. */
	day: string | null;
	/** The stored values, where others are pretended in `was`. */
	stored?: Record<string, JsonValue>;
	/** What a finding shows is made up: linked records that exist nowhere else. */
	near?: NonNullable<Trial['near']>;
}
