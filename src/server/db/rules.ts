/** Draft, releases, trials and rehearsals in the database. */
import { createHash } from 'node:crypto';
import { canonicalJson } from '../../core/formats/canonical';
import type { Definition, Model, ReferenceTable } from '../../core/model/model';
import type { Rule, RuleSet } from '../../core/model/rules';
import type { Trial } from '../../core/trials/trials';
import type { Db } from './pool';

/** A rule as stored, with the version that guards against two authors. */
export interface StoredRule {
	rule: Rule;
	version: number;
}

export interface ReleaseInfo {
	number: number;
	created_at: string;
	created_by: string | null;
	note: string;
	hash: string;
	rules: number;
}

/** What a release fixes. */
export interface ReleaseDocument extends RuleSet {
	format: 'rigid-rule/release';
	version: 1;
	model: Model;
}

/** Reads the draft with the versions of its rules. */
export async function readDraft(
	db: Db,
	workspace: string
): Promise<{
	set: RuleSet;
	versions: Record<string, number>;
	/** By `definition:id` and `table:id`. */
	partVersions: Record<string, number>;
	revision: number;
}> {
	const rules = await db.query<{ id: string; doc: Rule; version: number }>(
		'select id, doc, version from rule where workspace = $1 order by position, id',
		[workspace]
	);
	const orders = await db.query<{ field: string; claims: string[] }>(
		'select field, claims from claim_order where workspace = $1',
		[workspace]
	);
	const w = await db.query('select draft_revision from workspace where id = $1', [workspace]);
	const parts = await db.query<
		{ id: string; version: number } & (
			{ kind: 'definition'; doc: Definition } | { kind: 'table'; doc: ReferenceTable }
		)
	>(
		'select kind, id, doc, version from draft_part where workspace = $1 order by kind, position, id',
		[workspace]
	);
	return {
		set: {
			rules: rules.rows.map((r) => r.doc),
			order: Object.fromEntries(orders.rows.map((o) => [o.field, o.claims])),
			definitions: parts.rows.flatMap((p) => (p.kind === 'definition' ? [p.doc] : [])),
			tables: parts.rows.flatMap((p) => (p.kind === 'table' ? [p.doc] : []))
		},
		partVersions: Object.fromEntries(parts.rows.map((p) => [`${p.kind}:${p.id}`, p.version])),
		versions: Object.fromEntries(rules.rows.map((r) => [r.id, r.version])),
		revision: w.rows[0].draft_revision
	};
}

/**
 * Stores a rule of the draft.
 * @param version the version the author saw; 0 for a new rule
 * @returns the new version, or null when somebody else stored another one meanwhile
 */
export async function saveRule(
	db: Db,
	workspace: string,
	rule: Rule,
	version: number,
	account: string | null
): Promise<number | null> {
	const r =
		version === 0
			? await db.query(
					`insert into rule (workspace, id, doc, position, updated_by)
					 select $1, $2, $3, coalesce(max(position), 0) + 1, $4 from rule where workspace = $1
					 on conflict do nothing returning version`,
					[workspace, rule.id, rule, account]
				)
			: await db.query(
					`update rule set doc = $3, version = version + 1, updated_at = now(), updated_by = $4
					 where workspace = $1 and id = $2 and version = $5 returning version`,
					[workspace, rule.id, rule, account, version]
				);
	return r.rows[0]?.version ?? null;
}

/** Takes a rule out of the draft; false when somebody else changed it meanwhile. */
export async function removeRule(
	db: Db,
	workspace: string,
	id: string,
	version: number
): Promise<boolean> {
	const r = await db.query('delete from rule where workspace = $1 and id = $2 and version = $3', [
		workspace,
		id,
		version
	]);
	return r.rowCount === 1;
}

/** What a draft holds beside its rules. */
export type PartKind = 'definition' | 'table';

/**
 * Stores a definition or a reference table of the draft.
 * @param version the version the author saw; 0 for a new one
 * @returns the new version, or null when somebody else stored another one meanwhile
 */
export async function savePart(
	db: Db,
	workspace: string,
	kind: PartKind,
	part: Definition | ReferenceTable,
	version: number,
	account: string | null
): Promise<number | null> {
	const doc = JSON.stringify(part);
	const r =
		version === 0
			? await db.query(
					`insert into draft_part (workspace, kind, id, doc, position, updated_by)
					 select $1, $2, $3, $4, coalesce(max(position), 0) + 1, $5 from draft_part where workspace = $1
					 on conflict do nothing returning version`,
					[workspace, kind, part.id, doc, account]
				)
			: await db.query(
					`update draft_part set doc = $4, version = version + 1, updated_at = now(), updated_by = $5
					 where workspace = $1 and kind = $2 and id = $3 and version = $6 returning version`,
					[workspace, kind, part.id, doc, account, version]
				);
	return r.rows[0]?.version ?? null;
}

/** Takes a definition or table out of the draft; false when somebody else changed it meanwhile. */
export async function removePart(
	db: Db,
	workspace: string,
	kind: PartKind,
	id: string,
	version: number
): Promise<boolean> {
	const r = await db.query(
		'delete from draft_part where workspace = $1 and kind = $2 and id = $3 and version = $4',
		[workspace, kind, id, version]
	);
	return r.rowCount === 1;
}

/** Stores the claim order of a field (`type.field`). */
export async function saveOrder(
	db: Db,
	workspace: string,
	field: string,
	claims: string[]
): Promise<void> {
	await db.query(
		`insert into claim_order (workspace, field, claims) values ($1, $2, $3)
		 on conflict (workspace, field) do update set claims = excluded.claims`,
		[workspace, field, claims]
	);
}

/** Replaces the whole draft. */
export async function replaceDraft(
	db: Db,
	workspace: string,
	set: RuleSet,
	account: string | null
): Promise<void> {
	await db.query('delete from rule where workspace = $1', [workspace]);
	await db.query('delete from claim_order where workspace = $1', [workspace]);
	await db.query('delete from draft_part where workspace = $1', [workspace]);
	for (const rule of set.rules) await saveRule(db, workspace, rule, 0, account);
	for (const d of set.definitions ?? []) await savePart(db, workspace, 'definition', d, 0, account);
	for (const t of set.tables ?? []) await savePart(db, workspace, 'table', t, 0, account);
	for (const [field, claims] of Object.entries(set.order))
		await saveOrder(db, workspace, field, claims);
}

/** The hash of a rule set: equal for equal meaning, whatever the order of keys. */
export function hashOf(doc: unknown): string {
	return createHash('sha256').update(canonicalJson(doc)).digest('hex');
}

/** Makes a release of a rule set and puts it in force; returns its number. */
export async function createRelease(
	db: Db,
	workspace: string,
	set: RuleSet,
	model: Model,
	note: string,
	account: string | null
): Promise<number> {
	// one release at a time
	await db.query('select 1 from workspace where id = $1 for update', [workspace]);
	const doc: ReleaseDocument = { format: 'rigid-rule/release', version: 1, ...set, model };
	const r = await db.query<{ number: number }>(
		`insert into release (workspace, number, created_by, note, doc, hash)
		 select $1, coalesce(max(number), 0) + 1, $2, $3, $4, $5 from release where workspace = $1 returning number`,
		[workspace, account, note, JSON.stringify(doc), hashOf(doc)]
	);
	await putInForce(db, workspace, r.rows[0].number, account);
	return r.rows[0].number;
}

/** Puts a release in force. @throws when there is no such release */
export async function putInForce(
	db: Db,
	workspace: string,
	release: number,
	account: string | null
): Promise<void> {
	await db.query(
		`insert into in_force (workspace, release) values ($1, $2)
		 on conflict (workspace) do update set release = excluded.release`,
		[workspace, release]
	);
	await db.query('insert into in_force_log (workspace, release, account) values ($1, $2, $3)', [
		workspace,
		release,
		account
	]);
}

/** Number of the release in force; 0 for none. */
export async function releaseInForce(db: Db, workspace: string): Promise<number> {
	const r = await db.query<{ release: number }>(
		'select release from in_force where workspace = $1',
		[workspace]
	);
	return r.rows[0]?.release ?? 0;
}

/** What a release holds, or null. */
export async function readRelease(
	db: Db,
	workspace: string,
	number: number
): Promise<ReleaseDocument | null> {
	const r = await db.query<{ doc: ReleaseDocument }>(
		'select doc from release where workspace = $1 and number = $2',
		[workspace, number]
	);
	return r.rows[0]?.doc ?? null;
}

/** The rule set that a release fixed. */
export const rulesOf = ({ rules, order, definitions, tables }: ReleaseDocument): RuleSet => ({
	rules,
	order,
	definitions: definitions ?? [],
	tables: tables ?? []
});

/** All releases, newest first. */
export async function listReleases(db: Db, workspace: string): Promise<ReleaseInfo[]> {
	const r = await db.query<ReleaseInfo>(
		`select number, to_char(created_at at time zone 'UTC', 'YYYY-MM-DD"T"HH24:MI:SS"Z"') as created_at, a.name as created_by, note, hash,
		        jsonb_array_length(doc->'rules') as rules
		 from release left join account a on a.id = created_by where release.workspace = $1 order by number desc`,
		[workspace]
	);
	return r.rows;
}

export async function listTrials(db: Db, workspace: string): Promise<Trial[]> {
	const r = await db.query<{ doc: Trial }>(
		'select doc from trial where workspace = $1 order by position, id',
		[workspace]
	);
	return r.rows.map((x) => x.doc);
}

export async function saveTrial(db: Db, workspace: string, trial: Trial): Promise<void> {
	await db.query(
		`insert into trial (workspace, id, doc, position)
		 select $1, $2, $3, coalesce(max(position), 0) + 1 from trial where workspace = $1
		 on conflict (workspace, id) do update set doc = excluded.doc`,
		[workspace, trial.id, trial]
	);
}

export async function removeTrial(db: Db, workspace: string, id: string): Promise<void> {
	await db.query('delete from trial where workspace = $1 and id = $2', [workspace, id]);
}

/** Result of the last rehearsal, with the hash of the draft it was made of. */
export async function readRehearsal(
	db: Db,
	workspace: string
): Promise<{ hash: string; at: string; result: unknown } | null> {
	const r = await db.query(
		`select draft_hash as hash, to_char(at at time zone 'UTC', 'YYYY-MM-DD"T"HH24:MI:SS"Z"') as at, result from rehearsal where workspace = $1`,
		[workspace]
	);
	return r.rows[0] ?? null;
}

export async function saveRehearsal(
	db: Db,
	workspace: string,
	hash: string,
	result: unknown
): Promise<void> {
	await db.query(
		`insert into rehearsal (workspace, draft_hash, result) values ($1, $2, $3)
		 on conflict (workspace) do update set draft_hash = excluded.draft_hash, at = now(), result = excluded.result`,
		[workspace, hash, JSON.stringify(result)]
	);
}
