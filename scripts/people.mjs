// npm run people: people from the command line, in the database of DATABASE_URL or of `npm start`.
import { spawnSync } from 'node:child_process';
import { ROOT, bin, npmPackages, startCluster, withLock } from './lib/setup.mjs';

await withLock('install', async () => npmPackages());
const cluster = process.env.DATABASE_URL ? null : await startCluster('postgres', 5433);
const r = spawnSync(bin('tsx'), ['scripts/people.ts', ...process.argv.slice(2)], {
	cwd: ROOT,
	stdio: 'inherit',
	env: { ...process.env, DATABASE_URL: process.env.DATABASE_URL ?? cluster.url }
});
await cluster?.stop();
process.exit(r.status ?? 1);
