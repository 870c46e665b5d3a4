/**
 * Saves records: the one way in for forms, import and API. Reads which release is in force in the
 * same transaction, settles each change on it and writes what came of them.
 */
import type { Change, MatchKey, Settled, SettledRecord, SubmittedRecord } from '../../core';
import {
	compilePlan,
	onlyField,
	refKey,
	ruleOf,
	rulesOfRecord,
	same,
	settle,
	toJson,
	withRows
} from '../../core';
import { zones } from '../../runtime/zones';
import type { Sent } from '../db/history';
import { noteRefusals } from '../db/journal';
import { keepDifferences } from '../db/pilot';
import type { Db } from '../db/pool';
import { db } from '../db/pool';
import type { Settling, StoredRecord } from '../db/records';
import { nextIds, readRecords } from '../db/records';
import { noteChange } from '../measure/metrics';
import { holdStill } from '../db/between';
import { rowsAt } from '../db/living';
import { readRelease, rulesOf } from '../db/rules';
import { apartOf, settledBeside } from './apart';
import type { SaveOutcome } from './describe';
import { AtHand } from './near';
import type { InForce } from './force';
import { inForce, markPilot, settlingOf } from './force';
import { foresee } from './foresee';
import type { Kept } from './keep';
import { keepChanges, tellChanges } from './keep';
import type { Locks } from './locks';
import { lockLate, lockRecords, locking, toLock } from './locks';
import { linkNeeds, readSubmission, sentOf, settledAs, storedOf } from './submitted';
import type { Sender, Submission } from './types';
import { RefusedChange } from './types';
import { refuseDoubled } from './unique';

/** Saves submissions as one change: all or none, with every record it runs on to. @throws {RefusedChange} */
export async function save(
	sender: Sender,
	submissions: readonly Submission[]
): Promise<SaveOutcome[]> {
	const [outcome] = await saveInOrder(sender, [submissions]);
	if (outcome instanceof RefusedChange) throw outcome;
	return outcome;
}

/**
 * Saves several changes in one transaction, one after the other: each sees what those before it
 * made, and one that is refused harms no other. All records they touch or read are locked at the start.
 * @returns for each change what became of its records, or why it was refused
 */
export async function saveInOrder(
	sender: Sender,
	changes: readonly (readonly Submission[])[]
): Promise<(SaveOutcome[] | RefusedChange)[]> {
	if (!changes.length) return [];
	const outcomes = await locking(async (client, locks) => {
		await sender.around?.before(client);
		await holdStill(client, sender.workspace);
		const force = await (sender.force ?? inForce)(client, sender.workspace);
		const all = changes.flat();
		if (!locks.size) await foresee(client, sender.workspace, force.plan, all, locks);
		const stored = await lockRecords(
			client,
			sender.workspace,
			force.schema,
			all,
			locks,
			force.pilot
		);
		const series = new Series(client, sender, force, stored, locks);
		const outcomes = await series.save(changes);
		await sender.around?.after(client, outcomes);
		return outcomes;
	});
	const refused = outcomes.filter((o) => o instanceof RefusedChange);
	for (const o of refused) await noteRefused(sender, o);
	noteChange(sender.entryPoint, 'refused', refused.length);
	noteChange(sender.entryPoint, 'saved', outcomes.length - refused.length);
	return outcomes;
}

/** Notes in the journal which rules refused a change. */
export async function noteRefused(
	sender: Sender,
	{ by, sent, apart }: RefusedChange
): Promise<void> {
	const { workspace, account, entryPoint } = sender;
	const at = new Date(sender.instant).toISOString();
	if (by)
		await noteRefusals(
			db(),
			workspace,
			{ at, account: account.id, entryPoint, release: by.release, sent: sent ?? null },
			by.rules
		);
	if (apart) await keepDifferences(db(), apart.pilot, at, null, apart.all);
}

const onRequest = ({ fillBlanks, only }: NonNullable<Sender['onRequest']>) => ({
	onRequest: true,
	fillBlanks,
	...(only ? { only: onlyField(only.type, only.field) } : {})
});

/** What the core is told of a change. */
export const changeOf = (sender: Sender, records: readonly SubmittedRecord[]): Change => ({
	records,
	entryPoint: sender.entryPoint,
	instant: sender.instant,
	person: sender.account.person,
	account: sender.account.id,
	...(sender.onRequest ? onRequest(sender.onRequest) : {})
});

/**
 * A blocking message refuses the whole change, at its field.
 * @param sent what was sent, for what is kept of the refusal
 * @throws {RefusedChange}
 */
export function refuseBlocked(
	force: InForce,
	records: readonly SettledRecord[],
	sent: () => Sent | null
): void {
	records.forEach((rec, i) => {
		if (rec.reached) return;
		const blocking = rec.messages.filter((m) => m.blocking);
		if (!blocking.length) return;
		const faults = blocking.map((m) => ({ field: m.field, message: m.text }));
		const rules = blocking.map((m) => ({
			type: rec.type,
			record: rec.created ? null : rec.id,
			field: m.field,
			claim: m.claim,
			ruleName: ruleOf(rulesOfRecord(force.plan, rec), m.claim)!.name,
			message: m.text
		}));
		const by = { release: settlingOf(force, rec).release, rules };
		throw new RefusedChange(faults, i, 422, undefined, undefined, by, sent());
	});
}

/** Numbers of records that are only looked at begin here: none that is stored has one of them. */
const MADE_UP = 900_000_000_000_000_000n;
/** Whether a record was made up to be looked at. */
export const isMadeUp = (id: string) => /^\d{1,18}$/.test(id) && BigInt(id) > MADE_UP;

/** Changes settled one after the other: in one transaction, or looked at without locks and without end. */
export class Series {
	private readonly atHand: AtHand;
	private madeUp = 0;
	/** The records as the changes so far have made them. */
	private readonly now: Map<string, StoredRecord>;

	constructor(
		private readonly client: Db,
		private readonly sender: Sender,
		private readonly force: InForce,
		private readonly stored: Map<string, StoredRecord>,
		/** Records that are locked; null where nothing will be written, and so nothing needs to be. */
		private readonly locks: Locks | null
	) {
		this.now = new Map(stored);
		this.atHand = new AtHand(client, sender.workspace, force.schema, { pilot: force.pilot });
		this.atHand.put(stored.values());
	}

	save(changes: readonly (readonly Submission[])[]): Promise<(SaveOutcome[] | RefusedChange)[]> {
		return this.run(changes, (kept) =>
			keepChanges(this.client, this.sender, this.force, kept, this.stored)
		);
	}

	/** What changes would do after those looked at before. Nothing is stored, locked or sent. */
	async look(
		changes: readonly (readonly Submission[])[]
	): Promise<(SaveOutcome[] | RefusedChange)[]> {
		const { schema } = this.force;
		const fresh = changes
			.flat()
			.filter((s) => s.id !== null && !this.now.has(refKey(s.type, s.id)));
		for (const type of new Set(fresh.map((s) => s.type))) {
			if (!schema.types.has(type)) continue;
			const ids = fresh.flatMap((s) =>
				s.type === type && /^\d{1,18}$/.test(s.id!) ? [s.id!] : []
			);
			const records = await readRecords(this.client, schema, this.sender.workspace, type, ids);
			await markPilot(this.client, this.force.pilot, records);
			for (const r of records) {
				this.stored.set(refKey(type, r.id), r);
				this.now.set(refKey(type, r.id), r);
			}
			this.atHand.put(records);
		}
		return this.run(changes, async (kept) => {
			const { outcomes } = await tellChanges(
				this.client,
				this.sender,
				this.force,
				kept,
				this.stored
			);
			kept.forEach(({ settled }, i) => {
				const sent = settled.records.reduce((n, r) => n + r.sends.length, 0);
				const { records, read, found, deferred } = settled;
				const touched = [...records, ...read, ...found].map((r) => refKey(r.type, r.id));
				Object.assign(outcomes[i][0] ?? {}, { sent, pending: deferred.length, touched });
			});
			return outcomes;
		});
	}

	/** The records of a type that have each of some keys, as the changes so far have made them. */
	async find(type: string, keys: readonly MatchKey[]): Promise<(readonly string[])[]> {
		await this.atHand.fill((loader) =>
			keys.flatMap((k) => (loader.matching(type, [k]) ? [] : [{ type, match: [k] }]))
		);
		return keys.map((k) => this.atHand.loader.matching(type, [k])!);
	}

	private async run(
		changes: readonly (readonly Submission[])[],
		tell: (kept: readonly Kept[]) => Promise<SaveOutcome[][]>
	): Promise<(SaveOutcome[] | RefusedChange)[]> {
		const { schema } = this.force;
		const ids = await this.numbers(changes.flat());
		await this.atHand.load(changes.flat().flatMap((s) => linkNeeds(schema, s)));
		if (changes.length > 1) await this.lookAhead(changes, ids);
		const kept: Kept[] = [];
		const results: (RefusedChange | null)[] = [];
		for (const submissions of changes) {
			const one = await refusal(() => this.settled(submissions, ids));
			results.push(one instanceof RefusedChange ? one : null);
			if (one instanceof RefusedChange) continue;
			kept.push(one);
			if (changes.length > 1 || !this.locks) this.take(one.settled);
		}
		const outcomes = await tell(kept);
		let k = 0;
		return results.map((refused) => refused ?? outcomes[k++]);
	}

	/** The numbers that new records get, by submission. */
	private async numbers(all: readonly Submission[]): Promise<Map<Submission, string>> {
		const out = new Map<Submission, string>();
		for (const type of new Set(all.map((s) => s.type))) {
			const fresh = all.filter((s) => s.type === type && s.id === null);
			if (!fresh.length || !this.force.schema.types.has(type)) continue;
			// what is only looked at takes no number away from what will be
			const ids = this.locks
				? await nextIds(this.client, type, fresh.length)
				: fresh.map(() => String(MADE_UP + BigInt(++this.madeUp)));
			fresh.forEach((s, i) => out.set(s, ids[i]));
		}
		return out;
	}

	private read(
		submissions: readonly Submission[],
		ids: ReadonlyMap<Submission, string>
	): SubmittedRecord[] {
		const { schema } = this.force;
		return submissions.map((s, i) => {
			const stored = storedOf(schema, s, this.now, i);
			const id = ids.get(s) ?? '';
			return readSubmission(schema, this.force, this.atHand.loader, s, stored, id, i);
		});
	}

	/**
	 * Settles every change by itself on what is stored now, so that what all of them read is loaded
	 * together, and locked before the first is settled in earnest.
	 */
	private async lookAhead(
		changes: readonly (readonly Submission[])[],
		ids: ReadonlyMap<Submission, string>
	) {
		const { plan } = this.force;
		const open = new Set(
			changes.flatMap((submissions) => {
				try {
					return [changeOf(this.sender, this.read(submissions, ids))];
				} catch (e) {
					if (e instanceof RefusedChange) return [];
					throw e;
				}
			})
		);
		const wanted: { type: string; id: string }[] = [];
		await this.atHand.fill((loader) =>
			[...open].flatMap((change) => {
				const settled = settle(plan, change, loader, { zones, most: this.sender.most });
				if (!settled.needs.length) {
					open.delete(change);
					wanted.push(...toLock(settled, this.atHand.children));
				}
				return settled.needs;
			})
		);
		await this.lock(wanted);
	}

	/** Locks what is not locked yet, where anything will be written. @throws when it has to begin again for that */
	private async lock(wanted: readonly { type: string; id: string }[]) {
		if (!this.locks) return;
		const { workspace } = this.sender;
		const { schema, pilot } = this.force;
		const { client, now, locks, atHand } = this;
		const late = await lockLate(client, workspace, schema, wanted, now, locks, pilot, atHand);
		for (const r of late) {
			this.stored.set(refKey(r.type, r.id), r);
			this.now.set(refKey(r.type, r.id), r);
		}
	}

	/** Settles one change in earnest. @throws {RefusedChange} @throws when more must be locked */
	private async settled(
		submissions: readonly Submission[],
		ids: ReadonlyMap<Submission, string>
	): Promise<Kept> {
		const { plan } = this.force;
		const records = this.read(submissions, ids);
		const change = changeOf(this.sender, records);
		const settled = await this.atHand.settle(plan, change, this.sender.most);
		await this.lock(toLock(settled, this.atHand.children));
		const seen = submissions.map((s) => s.release);
		const apart = await this.apart(change, settled);
		try {
			refuseBlocked(this.force, settled.records, () => sentOf(this.sender, records, seen, true));
		} catch (e) {
			throw e instanceof RefusedChange && apart ? e.apartBy(apart) : e;
		}
		await refuseDoubled(this.atHand, this.force.schema, settled);
		for (const [i, s] of submissions.entries())
			if (s.release !== undefined) {
				const seen = { release: s.release, living: s.living ?? this.force.living };
				const own = settlingOf(this.force, settled.records[i]);
				if (!settledAs(seen, own)) await this.refuseOtherwise(seen, change, settled, i);
			}
		const restores = submissions.map((s) => s.restores);
		return { records, settled, seen, restores, ...(apart ? { apart: apart.all } : {}) };
	}

	/** What the pilot decides otherwise than the release beside it; null where it has no part in it, or nothing is kept. */
	private async apart(change: Change, settled: Settled): Promise<RefusedChange['apart']> {
		const { plan, pilot, schema } = this.force;
		if (!pilot || !this.locks || !settled.records.some((r) => r.pilot)) return;
		const beside = await settledBeside(
			plan,
			change,
			(needs) => this.atHand.fill(needs),
			this.sender.most
		);
		const fieldsOf = (type: string) => schema.type(type).type.fields.map((f) => f.id);
		return { pilot: pilot.id, all: apartOf(settled, beside, fieldsOf) };
	}

	/** What the next change finds. */
	private take({ records }: Settled) {
		for (const rec of records) {
			if (!rec.created && !rec.changes.length) continue;
			const key = refKey(rec.type, rec.id);
			const had = this.now.get(key);
			// of who set what, the next change asks only what rules added to sets
			const setBy = rec.added.size ? { ...had?.setBy } : (had?.setBy ?? {});
			for (const [claim, added] of rec.added) {
				const { field } = rulesOfRecord(this.force.plan, rec).claims.get(claim)!;
				const by = setBy[field.id] ?? { by: 'rule' };
				setBy[field.id] = { ...by, added: { ...by.added, [claim]: added } };
			}
			this.now.set(key, {
				type: rec.type,
				id: rec.id,
				version: (had?.version ?? 0) + 1,
				values: rec.values.slice(),
				setBy,
				settledBy: rec.reached && had ? had.settledBy : settlingOf(this.force, rec),
				pilot: rec.pilot
			});
			this.atHand.keep(rec);
		}
	}

	/**
	 * A form may have run a release that is no longer in force, or rows of tables that were edited since. Where what is in
	 * force decides otherwise, the difference is shown before anything is saved.
	 */
	private async refuseOtherwise(seen: Settling, change: Change, settled: Settled, index: number) {
		const { schema } = this.force;
		const { release, living } = settlingOf(this.force, settled.records[index]);
		const { workspace } = this.sender;
		const doc = seen.release ? await readRelease(this.client, workspace, seen.release) : null;
		const { rows } = await rowsAt(this.client, workspace, seen.living);
		const plan = compilePlan(schema, doc ? withRows(rulesOf(doc), rows) : { rules: [], order: {} });
		let before!: Settled;
		await this.atHand.fill((loader) => (before = settle(plan, change, loader, { zones })).needs);
		const rec = settled.records[index];
		const differences = schema.type(rec.type).type.fields.flatMap((f, i) => {
			const [shown, now] = [before.records[index].values[i], rec.values[i]];
			return same(shown, now) ? [] : [{ field: f.id, shown: toJson(shown), now: toJson(now) }];
		});
		if (!differences.length) return;
		const message =
			release === seen.release
				? 'Rows of a table were edited since, and the rules decide otherwise by them.'
				: `Release ${release} is in force now and decides otherwise than release ${seen.release}.`;
		throw new RefusedChange([{ field: null, message }], index, 409, undefined, {
			release,
			living,
			differences
		});
	}
}

/** What work gives, or how it was refused. */
async function refusal<T>(work: () => Promise<T>): Promise<T | RefusedChange> {
	try {
		return await work();
	} catch (e) {
		if (e instanceof RefusedChange) return e;
		throw e;
	}
}
