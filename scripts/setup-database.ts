/**
 * Brings the database named by DATABASE_URL up to date and makes its workspace.
 *   --demo   fills an empty database with the demo
 * Without it an empty database gets an empty workspace, and its first administrator: from
 * RIGID_ADMIN_EMAIL, RIGID_ADMIN_NAME and RIGID_ADMIN_PASSWORD, else by a code that is printed.
 */
import { fileURLToPath } from 'node:url';
import pg from 'pg';
import { seedHistory } from '../demo/history';
import { DEMO_PEOPLE, seed } from '../demo/seed';
import { ChangedMigration, migrate } from '../src/server/db/migrate';
import { closeDb, db, transaction } from '../src/server/db/pool';
import { BadSealingKey, sealAll } from '../src/server/db/seal';
import { countAll } from '../src/server/db/tally';
import {
	SeveralWorkspaces,
	emptyDatabase,
	hasPeople,
	noteFilled,
	theWorkspace
} from '../src/server/db/workspace';
import { beginWorkspace, firstCode, makeFirst } from '../src/server/people/first';
import { NotThisPerson } from '../src/server/people/people';

/** Reasons why a server cannot be used at all, which a stack does not make clearer. */
const UNUSABLE = new Set(['ECONNREFUSED', 'ENOTFOUND', 'ETIMEDOUT', '28P01', '28000', '3D000']);
const folder = fileURLToPath(new URL('../db/migrations', import.meta.url));
const demo = process.argv.includes('--demo');

async function upToDate() {
	for (const name of await migrate(folder)) console.log(`  migration ${name}`);
}

/** The demo, whole: one whose filling was broken off is begun anew, since nobody has worked in it. */
async function fillDemo() {
	if ((await theWorkspace(db()))?.filling) {
		console.log('  the demo was broken off while it was filled; it is begun anew');
		await emptyDatabase(db());
		await closeDb();
		await upToDate();
	}
	await transaction((c) => seed(c));
	console.log(`  demo data made, with ${DEMO_PEOPLE.length} people who can sign in`);
	console.log(`  ${await seedHistory()} changes of the last weeks made`);
	const { id } = (await theWorkspace(db()))!;
	await countAll(id);
	await noteFilled(db(), id);
}

async function begin() {
	const name = process.env.RIGID_WORKSPACE ?? 'Our company';
	const zone = process.env.RIGID_ZONE ?? Intl.DateTimeFormat().resolvedOptions().timeZone;
	if (await beginWorkspace({ name, zone })) console.log(`  workspace “${name}” made, in ${zone}`);
}

/** Somebody has to be able to sign in, and not whoever comes first. */
async function first() {
	if (await hasPeople(db())) return;
	const { RIGID_ADMIN_EMAIL: email, RIGID_ADMIN_PASSWORD: password } = process.env;
	if (email && password) {
		await makeFirst({ name: process.env.RIGID_ADMIN_NAME ?? email, email, password }, null);
		console.log(`  ${email} is the first administrator`);
		return;
	}
	console.log(`
  Nobody can sign in yet. Open /first and give this code, which works once:

      ${await firstCode()}
`);
}

/** Secrets from before there was a key, or that another sealed. */
async function seal() {
	const told = await transaction(sealAll);
	if (told.sealed) console.log(`  secrets of webhooks sealed: ${told.sealed}`);
	if (told.shut)
		console.error(
			`  webhooks that tell nobody anything until the key that sealed their secret is in RIGID_SECRET_KEY: ${told.shut}`
		);
}

/** Two that start at once on one database: the second waits until the first has set it up whole. */
const alone = new pg.Client({ connectionString: process.env.DATABASE_URL });
try {
	await alone.connect();
	await alone.query('select pg_advisory_lock(72617004)');
	await upToDate();
	const there = await theWorkspace(db());
	if (there ? there.filling : demo) await fillDemo();
	else if (!there) await begin();
	await seal();
	await first();
} catch (e) {
	const { code, message } = e as { code?: string; message: string };
	const told =
		e instanceof ChangedMigration ||
		e instanceof SeveralWorkspaces ||
		e instanceof NotThisPerson ||
		e instanceof BadSealingKey;
	if (!told && (!code || !UNUSABLE.has(code))) throw e;
	const host = new URL(process.env.DATABASE_URL!).host;
	console.error(
		told
			? message
			: `The database at ${host} cannot be used: ${message || code}. Check DATABASE_URL.`
	);
	process.exitCode = 1;
} finally {
	await closeDb();
	await alone.end().catch(() => undefined);
}
