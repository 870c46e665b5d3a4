/** The workspace of a database: there is one. */
import { USUAL_GATE, type Gate } from '../../door/gate';
import type { Db } from './pool';

export interface Workspace {
	id: string;
	name: string;
	/** It holds the demo, whose passwords everyone knows. */
	demo: boolean;
	/** Its demo is being filled, or that was broken off. */
	filling: boolean;
}

/** This database holds more than one workspace, which this version does not serve. */
export class SeveralWorkspaces extends Error {
	constructor() {
		super('This database holds several workspaces. One database serves one workspace.');
	}
}

/** The workspace; null before there is one. @throws {SeveralWorkspaces} */
export async function theWorkspace(db: Db): Promise<Workspace | null> {
	const r = await db.query<Workspace>('select id, name, demo, filling from workspace limit 2');
	if (r.rows.length > 1) throw new SeveralWorkspaces();
	return r.rows[0] ?? null;
}

/** What people see of their workspace. */
export async function readWorkspace(db: Db, id: string): Promise<{ name: string; demo: boolean }> {
	const r = await db.query<{ name: string; demo: boolean }>(
		'select name, demo from workspace where id = $1',
		[id]
	);
	return r.rows[0];
}

/** Of two that change settings, the second waits. */
export async function lockWorkspace(db: Db, id: string): Promise<void> {
	await db.query('select 1 from workspace where id = $1 for no key update', [id]);
}

/** Of two that begin a workspace or make its first administrator, the second waits here. */
export async function lockBeginning(db: Db): Promise<void> {
	await db.query('select pg_advisory_xact_lock(72617003)');
}

/** Makes it. */
export async function insertWorkspace(
	db: Db,
	w: { id: string; name: string; zone: string; personType: string | null; demo: boolean }
): Promise<void> {
	await db.query(
		'insert into workspace (id, name, zone, person_type, demo, filling) values ($1, $2, $3, $4, $5, $5)',
		[w.id, w.name, w.zone, w.personType, w.demo]
	);
}

/** The demo is complete. PostgreSQL looks at once what tables hold, instead of guessing until it comes to them. */
export async function noteFilled(db: Db, id: string): Promise<void> {
	await db.query('update workspace set filling = false where id = $1', [id]);
	await db.query('analyze');
}

/** Takes everything out of a database, to begin anew. */
export async function emptyDatabase(db: Db): Promise<void> {
	await db.query('drop schema if exists graphile_worker cascade');
	await db.query('drop schema public cascade');
	await db.query('create schema public');
}

/** Whether anybody can sign in. */
export async function hasPeople(db: Db): Promise<boolean> {
	const r = await db.query(
		'select 1 from account where not service and retired_at is null limit 1'
	);
	return r.rowCount !== 0;
}

/** Stores the hash of the code by which the first administrator is made, in the place of any before it. */
export async function putFirstCode(db: Db, hash: Buffer): Promise<void> {
	await db.query(
		'insert into first_code (code_hash) values ($1) on conflict (one) do update set code_hash = excluded.code_hash',
		[hash]
	);
}

/** Takes the code, which works once. @returns whether it was the right one */
export async function takeFirstCode(db: Db, hash: Buffer): Promise<boolean> {
	const r = await db.query('delete from first_code where code_hash = $1', [hash]);
	return r.rowCount === 1;
}

/** What has to be so before a draft becomes a release. */
export async function readGate(db: Db, workspace: string): Promise<Gate> {
	const r = await db.query<{ gate: Partial<Gate> | null }>(
		'select gate from workspace where id = $1',
		[workspace]
	);
	const gate = r.rows[0]?.gate;
	return { ...USUAL_GATE, ...gate, levels: { ...USUAL_GATE.levels, ...gate?.levels } };
}

export async function storeGate(db: Db, workspace: string, gate: Gate): Promise<void> {
	await db.query('update workspace set gate = $2 where id = $1', [workspace, JSON.stringify(gate)]);
}
