// npm run bench: speed, as ratios measured in one run.
//   -- quick      the core alone, in under two minutes
//   -- core       the core against the same by hand and against libraries
//   -- edits      what an edit and a key cost, by how much there is
//   -- trials     a thousand trials, what they try, and how strong they are
//   -- database   what needs PostgreSQL; it makes a private one that is empty at the start
//   -- history    how history is stored, and what is asked of it
//   -- beyond     history in partitions, and a replica that is read; only where it is named
//   -- lists      the first page of lists of many records, without and with indexes
//   -- editor     the sheet in Chromium
//   -- pages      what pages cost the server
//   -- million    the whole application on as many records as RIGID_BENCH_EACH says; only where it is named
//   -- service    a small change beside the jobs of the running server
import { spawnSync } from 'node:child_process';
import { randomBytes } from 'node:crypto';
import path from 'node:path';
import { ROOT, bin, npmPackages, run, say, startCluster, withLock } from './lib/setup.mjs';

const only = process.argv.slice(2);
const wants = (part) => !only.length || only.includes(part);

function show(command, args, env = {}) {
	const r = spawnSync(command, args, {
		cwd: ROOT,
		stdio: 'inherit',
		env: { ...process.env, ...env }
	});
	if (r.status !== 0) throw new Error(`${args[0]} failed.`);
}

await withLock('install', async () => npmPackages());
let cluster = null;
/** The address of a database that is empty. */
async function empty() {
	cluster ??= await startCluster('bench-postgres', 5733);
	const name = `bench_${randomBytes(4).toString('hex')}`;
	const url = new URL(cluster.url);
	url.pathname = `/${name}`;
	run(process.execPath, ['scripts/create-database.mjs', cluster.url, name]);
	return url.href;
}
try {
	if (only.includes('quick')) {
		show(bin('tsx'), ['bench/edits.ts'], { RIGID_BENCH_ROUNDS: '5' });
		show(bin('tsx'), ['bench/settle.ts'], { RIGID_BENCH_ROUNDS: '5' });
	}
	if (wants('core')) show(bin('tsx'), ['bench/settle.ts']);
	if (wants('edits')) show(bin('tsx'), ['bench/edits.ts']);
	if (wants('trials')) show(bin('tsx'), ['bench/trials.ts']);
	if (wants('database')) show(bin('tsx'), ['bench/database.ts'], { DATABASE_URL: await empty() });
	if (wants('living')) show(bin('tsx'), ['bench/living.ts'], { DATABASE_URL: await empty() });
	if (wants('lists')) show(bin('tsx'), ['bench/lists.ts'], { DATABASE_URL: await empty() });
	if (wants('history')) show(bin('tsx'), ['bench/history.ts'], { DATABASE_URL: await empty() });
	if (only.includes('beyond'))
		show(bin('tsx'), ['bench/beyond.ts'], { DATABASE_URL: await empty() });
	// half an hour and more at a million, so only where it is named
	const many = only.includes('million');
	if (wants('service') || wants('editor') || wants('pages') || many) {
		const build = path.join(ROOT, '.data', 'bench-build');
		const built = { RIGID_BUILD_DIR: build, RIGID_KIT_DIR: '.data/bench-kit', RIGID_BUILD: build };
		show(bin('vite'), ['build', '--logLevel', 'warn'], built);
		if (many) show(bin('tsx'), ['bench/million.ts'], { ...built, DATABASE_URL: await empty() });
		if (wants('pages'))
			show(bin('tsx'), ['bench/pages.ts'], { ...built, DATABASE_URL: await empty() });
		if (wants('service'))
			show(bin('tsx'), ['bench/service.ts'], { ...built, DATABASE_URL: await empty() });
		if (wants('editor'))
			show(bin('tsx'), ['bench/editor.ts'], { ...built, DATABASE_URL: await empty() });
	}
} catch (e) {
	say(`\n${e.message}`);
	process.exitCode = 1;
} finally {
	await cluster?.stop();
}
