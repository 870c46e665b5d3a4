/** Brings the database named by DATABASE_URL up to date and, where it is empty, fills it with the demo. */
import { fileURLToPath } from 'node:url';
import { DEMO_PEOPLE, isSeeded, seed } from '../demo/seed';
import { migrate } from '../src/server/db/migrate';
import { closeDb, db, transaction } from '../src/server/db/pool';

const applied = await migrate(fileURLToPath(new URL('../db/migrations', import.meta.url)));
for (const name of applied) console.log(`  migration ${name}`);
if (!(await isSeeded(db()))) {
	await transaction(seed);
	console.log(`  demo data made, with ${DEMO_PEOPLE.length} people who can sign in`);
}
await closeDb();
