/** Brings the database named by DATABASE_URL up to date and, where it is empty, fills it with the demo. */
import { fileURLToPath } from 'node:url';
import { seedHistory } from '../demo/history';
import { DEMO_PEOPLE, isSeeded, seed } from '../demo/seed';
import { migrate } from '../src/server/db/migrate';
import { closeDb, db, transaction } from '../src/server/db/pool';

/** Reasons why a server cannot be used at all, which a stack does not make clearer. */
const UNUSABLE = new Set(['ECONNREFUSED', 'ENOTFOUND', 'ETIMEDOUT', '28P01', '28000', '3D000']);

try {
	const folder = fileURLToPath(new URL('../db/migrations', import.meta.url));
	for (const name of await migrate(folder)) console.log(`  migration ${name}`);
	if (!(await isSeeded(db()))) {
		await transaction(seed);
		console.log(`  demo data made, with ${DEMO_PEOPLE.length} people who can sign in`);
		console.log(`  ${await seedHistory()} changes of the last weeks made`);
	}
} catch (e) {
	const { code, message } = e as { code?: string; message: string };
	if (!code || !UNUSABLE.has(code)) throw e;
	const host = new URL(process.env.DATABASE_URL!).host;
	console.error(`The database at ${host} cannot be used: ${message || code}. Check DATABASE_URL.`);
	process.exitCode = 1;
} finally {
	await closeDb();
}
