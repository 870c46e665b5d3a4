/** What a bulk change sends to a record, and how that is found. */
import type { JsonValue } from '../../core';
import type { BulkRow, FilledBy } from '../db/bulk';
import type { StoredRecord } from '../db/records';

/** What is sent to a record. */
export interface ToSend {
	sent: BulkRow['sent'];
	keep: string[];
	/** A person set what would change. */
	byHand: boolean;
	/** Why nothing can be sent: it is spared, or the formula fails. */
	spared: boolean;
	fault: string | null;
	/** Where it is filled from history: what happened, and whose the value is to be. */
	event?: FilledBy;
	had?: BulkRow['had'];
}

/** What a field of records is to be; undefined where it stays. */
export type Give = (
	records: readonly StoredRecord[]
) => Promise<
	({ value: JsonValue | undefined; fault: string | null } & Pick<ToSend, 'event' | 'had'>)[]
>;
