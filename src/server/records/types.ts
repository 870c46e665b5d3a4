/** What senders submit, and how a change is refused. */
import type pg from 'pg';
import type { EntryPoint, JsonValue } from '../../core';
import type { Sent } from '../db/history';
import type { Refusal } from '../db/journal';
import type { Difference } from '../db/pilot';
import type { Db } from '../db/pool';
import type { SaveOutcome } from './describe';
import type { InForce } from './force';

/** One record as a sender submits it. */
export interface Submission {
	type: string;
	/** Null for a new record. */
	id: string | null;
	/** Fields sent, in the order touched, as JSON. A link may be given by a key of its record. */
	sent: [field: string, value: unknown][];
	keep: readonly string[] | 'touched';
	/** The version the sender saw; another one is a conflict. */
	version?: number;
	/** The release whose results the sender saw; one that decides otherwise is shown first. */
	release?: number;
	/** The edit of living tables after which they saw them. */
	living?: number;
	/** The last version of a record that was deleted: it is made again, under its number. */
	restores?: number;
}

/** A fault of a submission, at a field where it concerns one. */
export interface SubmissionFault {
	field: string | null;
	message: string;
}

/** What is in force gives where what the sender saw gave something else. */
export interface Otherwise {
	release: number;
	living: number;
	differences: { field: string; shown: JsonValue; now: JsonValue }[];
}

/** Thrown when a change is refused; nothing of it was saved. */
export class RefusedChange extends Error {
	constructor(
		readonly faults: SubmissionFault[],
		/** Zero-based place of the refused record among those submitted. */
		readonly index: number,
		readonly status: 400 | 404 | 409 | 422 = 400,
		/** On a conflict: the record as it is stored now. */
		readonly current?: { version: number; values: Record<string, JsonValue> },
		/** Where the release in force decides otherwise than the one the sender saw. */
		readonly otherwise?: Otherwise,
		/** The rules that refused it, by which release. */
		readonly by?: { release: number; rules: readonly Refusal[] },
		/** What was sent, where rules refused it: kept with what they said. */
		readonly sent?: Sent | null,
		/** What the pilot refused, by its number, and the release beside it lets through. */
		readonly apart?: { pilot: string; all: readonly Difference[] }
	) {
		super(faults.map((f) => f.message).join(' '));
		this.name = 'RefusedChange';
	}

	/** The same, with what the pilot refused and the release beside it lets through. */
	apartBy(apart: RefusedChange['apart']): RefusedChange {
		const { faults, index, status, current, otherwise, by, sent } = this;
		return new RefusedChange(faults, index, status, current, otherwise, by, sent, apart);
	}
}

/** Work that shares the transaction of changes. */
export interface Around {
	before: (client: pg.PoolClient) => Promise<void>;
	after: (
		client: pg.PoolClient,
		outcomes: readonly (SaveOutcome[] | RefusedChange)[]
	) => Promise<void>;
}

/** Who makes a change, by which road, when. */
export interface Sender {
	workspace: string;
	account: { id: string; name: string; person: string | null };
	entryPoint: EntryPoint;
	/** Milliseconds since 1970 UTC. */
	instant: number;
	/** What is done in the same transaction, before anything else and when all is decided. */
	around?: Around;
	/** The job that the change is a part of. */
	job?: string;
	/** Standing rules count as triggered, though nothing was sent. */
	onRequest?: {
		fillBlanks: boolean;
		/** Those of one field alone; the others run as after any change. */
		only?: { type: string; field: string };
	};
	/** By which rules it is settled; by those in force where nothing is said. */
	force?: (db: Db, workspace: string) => Promise<InForce>;
	/** Messages do not leave. */
	silent?: boolean;
	/** Most records the change runs on to at once; the rest is put off. The usual number without it. */
	most?: number;
}
