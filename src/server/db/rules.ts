/** Draft, releases and trials in the database. */
import { createHash, randomUUID } from 'node:crypto';
import type {
	Acceptance,
	Definition,
	LivingRows,
	Model,
	PilotChoice,
	ReferenceTable,
	Rule,
	RuleSet,
	Trial
} from '../../core';
import {
	FORMAT,
	canonicalJson,
	cellsOf,
	editsBetween,
	upgraded,
	withRows,
	withoutRows
} from '../../core';
import type { Deed } from './audit';
import type { Passing } from '../../door/gate';
import { iso } from './iso';
import { rowsAt, storeEdit } from './living';
import type { PilotOn } from './pilot';
import type { Db } from './pool';

export interface ReleaseInfo {
	number: number;
	created_at: string;
	created_by: string | null;
	note: string;
	hash: string;
	rules: number;
	/** What was so of it when it was released; null where that was not asked yet. */
	gate: Passing[] | null;
}

/** What a release fixes. */
export interface ReleaseDocument extends RuleSet {
	format: 'rigid-rule/release';
	/** {@link FORMAT} of its time. */
	version: number;
	model: Model;
}

/** Edits of the draft come one after the other: the second waits here. */
export async function lockDraft(db: Db, workspace: string): Promise<void> {
	await db.query('select 1 from workspace where id = $1 for update', [workspace]);
}

/** What is in force stays until this transaction ends: whoever changes it, as whoever edits the draft, waits. */
export async function holdInForce(db: Db, workspace: string): Promise<void> {
	await db.query('select 1 from workspace where id = $1 for share', [workspace]);
}

/** The revision of the draft as it stands; 0 for a workspace that is not there. */
export async function revisionOf(db: Db, workspace: string): Promise<number> {
	const r = await db.query<{ n: number }>(
		'select draft_revision as n from workspace where id = $1',
		[workspace]
	);
	return r.rows[0]?.n ?? 0;
}

/** How far a workspace is: what pages work on is another where any of it is. */
export interface Stand {
	/** Of the draft, and of the model. */
	revision: number;
	modelRevision: number;
	/** In force; 0 for none. */
	release: number;
	pilot: (PilotOn & { choice: PilotChoice }) | null;
	/** Another for each stand of draft and model, also where a database was put back to an earlier one. */
	mark: string;
}

export async function standOf(db: Db, workspace: string): Promise<Stand> {
	const r = await db.query<Stand>(
		`select w.draft_revision as revision, w.model_revision as "modelRevision", coalesce(f.release, 0) as release,
		        case when p.id is not null then json_build_object('id', p.id::text, 'release', p.release,
		          'version', p.version, 'choice', p.choice) end as pilot,
		        concat_ws(' ', w.draft_revision, w.model_revision, w.xmin) as mark
		 from workspace w left join in_force f on f.workspace = w.id
		   left join pilot p on p.workspace = w.id and p.ended_at is null where w.id = $1`,
		[workspace]
	);
	if (!r.rowCount) throw new Error(`There is no workspace “${workspace}”.`);
	return r.rows[0];
}

/** Raises the revision of the draft by one; gives the new one. */
export async function raiseRevision(db: Db, workspace: string): Promise<number> {
	const r = await db.query<{ n: number }>(
		'update workspace set draft_revision = draft_revision + 1 where id = $1 returning draft_revision as n',
		[workspace]
	);
	return r.rows[0].n;
}

/** Reads the draft, with who stored each part last. */
export async function readDraft(
	db: Db,
	workspace: string
): Promise<{ set: RuleSet; authors: Record<string, string> }> {
	const rules = await db.query<Stored<Rule>>(
		'select doc, format from rule where workspace = $1 order by position, id',
		[workspace]
	);
	const orders = await db.query<{ field: string; claims: string[] }>(
		'select field, claims from claim_order where workspace = $1',
		[workspace]
	);
	const parts = await db.query<{ kind: PartKind } & Stored<Part>>(
		'select kind, doc, format from draft_part where workspace = $1 order by kind, position, id',
		[workspace]
	);
	const of = <T>(kind: PartKind) =>
		parts.rows.filter((p) => p.kind === kind).map((p) => upgraded<T>(kind, p.doc, p.format));
	return {
		set: {
			rules: rules.rows.map((r) => upgraded<Rule>('rule', r.doc, r.format)),
			order: Object.fromEntries(orders.rows.map((o) => [o.field, o.claims])),
			definitions: of<Definition>('definition'),
			tables: of<ReferenceTable>('table'),
			accepted: of<Acceptance>('acceptance')
		},
		authors: await authorsOf(db, workspace)
	};
}

/** Who stored each part of the draft last: by `rules.id`, `definitions.id` and `tables.id`. */
export async function authorsOf(db: Db, workspace: string): Promise<Record<string, string>> {
	const r = await db.query<{ part: string; by: string }>(
		`select 'rules.' || r.id as part, a.name as by from rule r join account a on a.id = r.updated_by where r.workspace = $1
		 union all select p.kind || 's.' || p.id, a.name from draft_part p join account a on a.id = p.updated_by
		 where p.workspace = $1 and p.kind in ('definition', 'table')`,
		[workspace]
	);
	return Object.fromEntries(r.rows.map(({ part, by }) => [part, by]));
}

/** What is accepted of the findings of the draft. */
export async function acceptedOf(db: Db, workspace: string): Promise<Acceptance[]> {
	const r = await db.query<Stored<Part>>(
		"select doc, format from draft_part where workspace = $1 and kind = 'acceptance' order by position, id",
		[workspace]
	);
	return r.rows.map((p) => upgraded<Acceptance>('acceptance', p.doc, p.format));
}

interface Stored<T> {
	doc: T;
	format: number;
}

/** Stores a rule of the draft; a new one comes last. */
export async function putRule(
	db: Db,
	workspace: string,
	rule: Rule,
	account: string | null
): Promise<void> {
	await db.query(
		`insert into rule (workspace, id, doc, format, position, updated_by)
		 select $1, $2, $3, $4, coalesce(max(position), 0) + 1, $5 from rule where workspace = $1
		 on conflict (workspace, id) do update set doc = excluded.doc, format = excluded.format,
		   version = rule.version + 1, updated_at = now(), updated_by = excluded.updated_by`,
		[workspace, rule.id, rule, FORMAT, account]
	);
}

/** Takes a rule out of the draft. */
export async function removeRule(db: Db, workspace: string, id: string): Promise<void> {
	await db.query('delete from rule where workspace = $1 and id = $2', [workspace, id]);
}

/** Puts the rules of the draft in an order. */
export async function placeRules(db: Db, workspace: string, ids: readonly string[]): Promise<void> {
	await db.query(
		`update rule r set position = t.place
		 from unnest($2::text[]) with ordinality as t (id, place)
		 where r.workspace = $1 and r.id = t.id and r.position <> t.place`,
		[workspace, ids]
	);
}

/** What a draft holds beside its rules. */
export type PartKind = 'definition' | 'table' | 'acceptance';
type Part = Definition | ReferenceTable | Acceptance;

/** Stores a definition, a reference table or an acceptance of the draft; a new one comes last. */
export async function putPart(
	db: Db,
	workspace: string,
	kind: PartKind,
	part: Part,
	account: string | null
): Promise<void> {
	await db.query(
		`insert into draft_part (workspace, kind, id, doc, format, position, updated_by)
		 select $1, $2, $3, $4, $5, coalesce(max(position), 0) + 1, $6 from draft_part where workspace = $1
		 on conflict (workspace, kind, id) do update set doc = excluded.doc, format = excluded.format,
		   version = draft_part.version + 1, updated_at = now(), updated_by = excluded.updated_by`,
		[workspace, kind, part.id, JSON.stringify(part), FORMAT, account]
	);
}

/** Takes a definition, a table or an acceptance out of the draft. */
export async function removePart(
	db: Db,
	workspace: string,
	kind: PartKind,
	id: string
): Promise<void> {
	await db.query('delete from draft_part where workspace = $1 and kind = $2 and id = $3', [
		workspace,
		kind,
		id
	]);
}

/** Stores the claim order of a field (`type.field`); an empty one is none. */
export async function putOrder(
	db: Db,
	workspace: string,
	{ field, claims }: { field: string; claims: string[] }
): Promise<void> {
	if (!claims.length) {
		await db.query('delete from claim_order where workspace = $1 and field = $2', [
			workspace,
			field
		]);
		return;
	}
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
	for (const rule of set.rules) await putRule(db, workspace, rule, account);
	for (const d of set.definitions ?? []) await putPart(db, workspace, 'definition', d, account);
	for (const t of set.tables ?? []) await putPart(db, workspace, 'table', t, account);
	for (const a of set.accepted ?? []) await putPart(db, workspace, 'acceptance', a, account);
	for (const [field, claims] of Object.entries(set.order))
		await putOrder(db, workspace, { field, claims });
}

/** A draft that was put aside for another. */
export interface KeptDraft {
	id: string;
	/** ISO 8601. */
	at: string;
	by: string | null;
	/** What took its place, in words. */
	instead: string;
	rules: number;
}

/** How many drafts that were put aside are kept. */
const MOST_KEPT = 20;

/** Puts a draft aside, and forgets the oldest beyond those that are kept. */
export async function keepDraft(
	db: Db,
	workspace: string,
	set: RuleSet,
	instead: string,
	account: string
): Promise<void> {
	await db.query(
		'insert into kept_draft (workspace, account, instead, format, doc) values ($1, $2, $3, $4, $5)',
		[workspace, account, instead, FORMAT, JSON.stringify(set)]
	);
	await db.query(
		`delete from kept_draft where workspace = $1 and id not in
		   (select id from kept_draft where workspace = $1 order by id desc limit $2)`,
		[workspace, MOST_KEPT]
	);
}

/** Drafts that were put aside, newest first. */
export async function listKeptDrafts(db: Db, workspace: string): Promise<KeptDraft[]> {
	const r = await db.query<KeptDraft>(
		`select k.id::text, to_char(k.at at time zone 'UTC', 'YYYY-MM-DD"T"HH24:MI:SS"Z"') as at, a.name as by,
		        k.instead, jsonb_array_length(k.doc->'rules') as rules
		 from kept_draft k left join account a on a.id = k.account where k.workspace = $1 order by k.id desc`,
		[workspace]
	);
	return r.rows;
}

/** What a draft that was put aside held; null when there is none. */
export async function readKeptDraft(
	db: Db,
	workspace: string,
	id: string
): Promise<{ at: string; set: RuleSet } | null> {
	const r = await db.query<{ at: string; doc: RuleSet; format: number }>(
		`select to_char(at at time zone 'UTC', 'YYYY-MM-DD"T"HH24:MI:SS"Z"') as at, doc, format
		 from kept_draft where workspace = $1 and id = $2`,
		[workspace, id]
	);
	const k = r.rows[0];
	return k ? { at: k.at, set: upgraded<RuleSet>('release', k.doc, k.format) } : null;
}

/** Whether somebody wrote in the draft since the last release. */
export async function wroteSinceRelease(
	db: Db,
	workspace: string,
	account: string
): Promise<boolean> {
	// what was done is kept since there is an audit; rules and parts say who stored them before it, too
	const r = await db.query<{ wrote: boolean }>(
		`with last as (select max(created_at) as at from release where workspace = $1)
		 select exists (select 1 from audit where workspace = $1 and account = $2 and did = any($3)
		          and id > coalesce((select max(id) from audit where workspace = $1 and did = 'released'), 0))
		     or exists (select 1 from rule, last where workspace = $1 and updated_by = $2
		          and updated_at > coalesce(last.at, '-infinity'))
		     or exists (select 1 from draft_part, last where workspace = $1 and updated_by = $2
		          and updated_at > coalesce(last.at, '-infinity')) as wrote`,
		[workspace, account, WRITING]
	);
	return r.rows[0].wrote;
}

/** Deeds that write in the draft. */
const WRITING: readonly Deed[] = [
	'edited the draft',
	'stored a trial',
	'removed a trial',
	'took a release as the draft',
	'returned to a draft'
];

/** The hash of a rule set: equal for equal meaning, whatever the order of keys. */
export function hashOf(doc: unknown): string {
	return createHash('sha256').update(canonicalJson(doc)).digest('hex');
}

/** The hash of what a draft decides: what is accepted of its findings has no part in it. */
export const hashOfDraft = ({ accepted: _, ...set }: RuleSet, model: Model): string =>
	hashOf([set, model]);

/** Makes a release of a rule set; returns its number. @param gate what was so of it @param force it is put in force */
export async function createRelease(
	db: Db,
	workspace: string,
	set: RuleSet,
	model: Model,
	note: string,
	account: string | null,
	gate: readonly Passing[] | null = null,
	force = true
): Promise<number> {
	// one release at a time
	await db.query('select 1 from workspace where id = $1 for update', [workspace]);
	const tables = set.tables?.map(withoutRows);
	const doc: ReleaseDocument = {
		format: 'rigid-rule/release',
		version: FORMAT,
		...set,
		...(tables ? { tables } : {}),
		model
	};
	const r = await db.query<{ number: number }>(
		`insert into release (workspace, number, created_by, note, doc, hash, gate)
		 select $1, coalesce(max(number), 0) + 1, $2, $3, $4, $5, $6 from release where workspace = $1 returning number`,
		[workspace, account, note, JSON.stringify(doc), hashOf(doc), gate && JSON.stringify(gate)]
	);
	const { number } = r.rows[0];
	const begin = set.tables?.filter((t) => t.living && t.rows.length) ?? [];
	const had = begin.length ? (await rowsAt(db, workspace)).rows : {};
	for (const t of begin) await beginLiving(db, workspace, t, had, number, account);
	if (force) await putInForce(db, workspace, number, account);
	return number;
}

/** The rows that the document of a living table brings become those that stand; the draft keeps none. */
async function beginLiving(
	db: Db,
	workspace: string,
	table: ReferenceTable,
	rows: LivingRows,
	release: number,
	account: string | null
): Promise<void> {
	const had = Object.hasOwn(rows, table.id) ? rows[table.id] : [];
	const cells = table.rows.map((r) => cellsOf(table, r));
	const edits = editsBetween(table, had, cells, () => `r_${randomUUID().slice(0, 8)}`);
	await storeEdit(db, workspace, { table: table.id, label: table.label, account, release, edits });
	await db.query(
		`update draft_part set doc = jsonb_set(doc, '{rows}', '[]'), version = version + 1
		 where workspace = $1 and kind = 'table' and id = $2`,
		[workspace, table.id]
	);
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

/** When a release came in force, and by whom; the newest first. */
export async function timesInForce(
	db: Db,
	workspace: string,
	release: number
): Promise<{ at: string; by: string | null; until: string | null }[]> {
	const r = await db.query<{ at: string; by: string | null; until: string | null }>(
		`select ${iso('l.at')} as at, a.name as by, ${iso('l.until')} as until
		 from (select release, at, account, id, lead(at) over (order by id) as until
		       from in_force_log where workspace = $1) l
		 left join account a on a.id = l.account where l.release = $2 order by l.id desc`,
		[workspace, release]
	);
	return r.rows;
}

/** Number of the release in force; 0 for none. */
export async function releaseInForce(db: Db, workspace: string): Promise<number> {
	const r = await db.query<{ release: number }>(
		'select release from in_force where workspace = $1',
		[workspace]
	);
	return r.rows[0]?.release ?? 0;
}

/** The same, and none comes in force before the end of the transaction. */
export async function holdRelease(db: Db, workspace: string): Promise<number> {
	const r = await db.query<{ release: number }>(
		'select release from in_force where workspace = $1 for share',
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
	const doc = r.rows[0]?.doc;
	return doc ? upgraded<ReleaseDocument>('release', doc, doc.version) : null;
}

/** The rule set that a release fixed. */
export const rulesOf = (doc: ReleaseDocument): RuleSet => ({
	rules: doc.rules,
	order: doc.order,
	definitions: doc.definitions ?? [],
	tables: doc.tables ?? [],
	accepted: doc.accepted ?? []
});

/** A rule set with the rows of its living tables as they stand. */
export async function withLiving<S extends RuleSet>(db: Db, workspace: string, set: S): Promise<S> {
	if (!set.tables?.some((t) => t.living)) return set;
	return withRows(set, (await rowsAt(db, workspace)).rows);
}

/** All releases, newest first. */
export async function listReleases(db: Db, workspace: string): Promise<ReleaseInfo[]> {
	const r = await db.query<ReleaseInfo>(
		`select number, to_char(created_at at time zone 'UTC', 'YYYY-MM-DD"T"HH24:MI:SS"Z"') as created_at, a.name as created_by, note, hash,
		        jsonb_array_length(doc->'rules') as rules, gate
		 from release left join account a on a.id = created_by where release.workspace = $1 order by number desc`,
		[workspace]
	);
	return r.rows;
}

/** What fields, options and rules were called in some release. */
export interface OnceCalled {
	what: 'field' | 'option' | 'rule';
	/** Record type of a field, list of an option; empty for a rule. */
	of: string;
	id: string;
	label: string;
}

/** The names that releases knew things by, each once. */
export async function namesInReleases(db: Db, workspace: string): Promise<OnceCalled[]> {
	const r = await db.query<OnceCalled>(
		`select distinct 'field' as what, t->>'id' as of, f->>'id' as id, f->>'label' as label
		 from release r, jsonb_array_elements(r.doc->'model'->'types') t, jsonb_array_elements(t->'fields') f
		 where r.workspace = $1
		 union select 'option', l->>'id', o->>'id', o->>'label'
		 from release r, jsonb_array_elements(r.doc->'model'->'lists') l, jsonb_array_elements(l->'options') o
		 where r.workspace = $1
		 union select 'rule', '', x->>'id', x->>'name'
		 from release r, jsonb_array_elements(r.doc->'rules') x where r.workspace = $1`,
		[workspace]
	);
	return r.rows;
}

/** A rule as a release has it; null where it has none. */
export interface RuleVersion {
	number: number;
	at: string;
	by: string | null;
	note: string;
	rule: Rule | null;
}

/** A rule in every release, newest first, and who edited it last in the draft. */
export async function versionsOf(
	db: Db,
	workspace: string,
	id: string
): Promise<{ releases: RuleVersion[]; draft: { at: string; by: string | null } | null }> {
	const r = await db.query<Omit<RuleVersion, 'rule'> & { rule: Rule | null; version: number }>(
		`select r.number, to_char(r.created_at at time zone 'UTC', 'YYYY-MM-DD"T"HH24:MI:SS"Z"') as at,
		        a.name as by, r.note, (r.doc->>'version')::int as version,
		        (select x from jsonb_array_elements(r.doc->'rules') x where x->>'id' = $2 limit 1) as rule
		 from release r left join account a on a.id = r.created_by
		 where r.workspace = $1 order by r.number desc`,
		[workspace, id]
	);
	const draft = await db.query<{ at: string; by: string | null }>(
		`select to_char(r.updated_at at time zone 'UTC', 'YYYY-MM-DD"T"HH24:MI:SS"Z"') as at, a.name as by
		 from rule r left join account a on a.id = r.updated_by where r.workspace = $1 and r.id = $2`,
		[workspace, id]
	);
	return {
		releases: r.rows.map(({ version, rule, ...x }) => ({
			...x,
			rule: rule && upgraded<Rule>('rule', rule, version)
		})),
		draft: draft.rows[0] ?? null
	};
}

export async function listTrials(db: Db, workspace: string): Promise<Trial[]> {
	const r = await db.query<{ doc: Trial; format: number }>(
		'select doc, format from trial where workspace = $1 order by position, id',
		[workspace]
	);
	return r.rows.map((x) => upgraded<Trial>('trial', x.doc, x.format));
}

/** How many trials there are, and a mark that is another when any of them is. */
export async function trialsMark(
	db: Db,
	workspace: string
): Promise<{ count: number; mark: string }> {
	const r = await db.query<{ count: number; mark: string }>(
		`select count(*)::int as count, md5(coalesce(string_agg(md5(format || doc::text), '' order by position, id), '')) as mark
		 from trial where workspace = $1`,
		[workspace]
	);
	return r.rows[0];
}

export async function saveTrial(db: Db, workspace: string, trial: Trial): Promise<void> {
	await db.query(
		`insert into trial (workspace, id, doc, format, position)
		 select $1, $2, $3, $4, coalesce(max(position), 0) + 1 from trial where workspace = $1
		 on conflict (workspace, id) do update set doc = excluded.doc, format = excluded.format`,
		[workspace, trial.id, trial, FORMAT]
	);
}

export async function removeTrial(db: Db, workspace: string, id: string): Promise<void> {
	await db.query('delete from trial where workspace = $1 and id = $2', [workspace, id]);
}

/** How long an analysis is kept. */
const ANALYSIS_KEPT = "interval '1 day'";

/**
 * What the analysis came to that was made of exactly this; null for none.
 * @param seconds no older than that
 */
export async function readAnalysis<T>(
	db: Db,
	workspace: string,
	hash: string,
	seconds: number
): Promise<T | null> {
	const r = await db.query<{ answer: T }>(
		'select answer from analysis where workspace = $1 and hash = $2 and at > now() - make_interval(secs => $3)',
		[workspace, hash, seconds]
	);
	return r.rows[0]?.answer ?? null;
}

export async function keepAnalysis(
	db: Db,
	workspace: string,
	hash: string,
	answer: unknown
): Promise<void> {
	await db.query(`delete from analysis where workspace = $1 and at < now() - ${ANALYSIS_KEPT}`, [
		workspace
	]);
	await db.query(
		`insert into analysis (workspace, hash, answer) values ($1, $2, $3)
		 on conflict (workspace, hash) do update set at = now(), answer = excluded.answer`,
		[workspace, hash, JSON.stringify(answer)]
	);
}
