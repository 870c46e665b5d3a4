// npm start: everything from a bare machine to a served application.
//   -- --fresh   starts over with new demo data
//   -- --port N  listens on port N
//   -- --dev     serves with the development server
//   -- --empty   begins without the demo, with an empty workspace
//   -- --demo    fills an empty database of DATABASE_URL with the demo
// DATABASE_URL uses a PostgreSQL that exists instead of a private one; it gets the demo only when asked for.
import { spawn } from 'node:child_process';
import path from 'node:path';
import {
	NotStarted,
	ROOT,
	bin,
	npmPackages,
	once,
	portIsFree,
	freePort,
	removeCluster,
	run,
	say,
	startCluster,
	stop,
	treeHash,
	withLock
} from './lib/setup.mjs';

const args = process.argv.slice(2);
const known = ['--fresh', '--dev', '--empty', '--demo', '--port'];
const odd = args.find((a, i) => !known.includes(a) && args[i - 1] !== '--port');
if (odd) stop(`“${odd}” is not known here. There are: ${known.join(', ')} NUMBER.`);
const dev = args.includes('--dev');
if (args.includes('--empty') && args.includes('--demo'))
	stop('--empty and --demo exclude each other.');
const wanted = args.includes('--port')
	? Number(args[args.indexOf('--port') + 1])
	: Number(process.env.PORT ?? 5280);
if (!Number.isInteger(wanted) || wanted < 1 || wanted > 65535)
	stop('A port is a number from 1 to 65535.');

let cluster = null;
let server = null;
let stopping = false;
async function shutDown(code) {
	if (stopping) return;
	stopping = true;
	if (server && server.exitCode === null && server.signalCode === null) {
		server.kill('SIGTERM');
		await Promise.race([
			new Promise((r) => server.once('exit', r)),
			new Promise((r) => setTimeout(r, 5000))
		]);
		if (server.exitCode === null) server.kill('SIGKILL');
	}
	await cluster?.stop();
	process.exit(code);
}
/** Which private PostgreSQL: starts beside each other on one machine have their own. */
const CLUSTER = process.env.RIGID_CLUSTER ?? 'postgres';
if (!/^[a-z][a-z0-9-]{0,40}$/.test(CLUSTER))
	stop('RIGID_CLUSTER is a name of small letters, digits and hyphens.');
/** How often something may end and be started again within ten minutes. */
const MOST_AGAIN = Number(process.env.RIGID_RESTARTS ?? 8);
/** Milliseconds before the first start again; then twice as long each time. */
const FIRST_WAIT = Number(process.env.RIGID_RESTART_WAIT ?? 500);
/** Milliseconds to wait before the next start, longer each time; null when it was too often. */
function backOff() {
	let ends = [];
	return () => {
		ends = [...ends.filter((t) => Date.now() - t < 600_000), Date.now()];
		return ends.length > MOST_AGAIN
			? null
			: Math.min(FIRST_WAIT * 2 ** Math.min(ends.length - 1, 20), 30_000);
	};
}

/** Starts the private PostgreSQL again when it ends: the server meanwhile says that it waits, and goes on by itself. */
async function watchDatabase(env) {
	const again = backOff();
	while (!stopping) {
		await new Promise((r) => setTimeout(r, 1000));
		if (stopping || cluster.alive()) continue;
		const wait = again();
		if (wait === null) {
			say(`PostgreSQL ended too often within a short time. Its log is in .data/${CLUSTER}.log.`);
			return shutDown(1);
		}
		say(`PostgreSQL ended. It starts again in ${wait / 1000} s.`);
		await new Promise((r) => setTimeout(r, wait));
		if (stopping) return;
		try {
			cluster = await startCluster(CLUSTER, 5433);
		} catch (e) {
			if (!(e instanceof NotStarted)) throw e;
			say(e.message);
			continue;
		}
		say('PostgreSQL is there again.');
		// another port is another address: the server begins again with that one
		if (cluster.url !== env.DATABASE_URL) {
			env.DATABASE_URL = cluster.url;
			server?.kill('SIGTERM');
		}
	}
}
for (const signal of ['SIGINT', 'SIGTERM', 'SIGHUP']) process.on(signal, () => shutDown(0));

try {
	await withLock('install', async () => npmPackages());
	const own = !process.env.DATABASE_URL;
	if (args.includes('--fresh')) {
		if (!own)
			stop(
				'--fresh starts over with a private database; it never empties one that DATABASE_URL names.'
			);
		await removeCluster(CLUSTER);
	}
	if (own) cluster = await startCluster(CLUSTER, 5433);
	const env = { ...process.env, DATABASE_URL: process.env.DATABASE_URL ?? cluster.url };

	say('Preparing the database …');
	const demo = own ? !args.includes('--empty') : args.includes('--demo');
	const out = run(bin('tsx'), ['scripts/setup-database.ts', ...(demo ? ['--demo'] : [])], { env });
	if (out.trim()) say(out.trimEnd());

	const port = (await portIsFree(wanted)) ? wanted : await freePort(wanted + 1);
	if (port !== wanted) say(`Port ${wanted} is taken; using ${port}.`);

	// RIGID_BUILD names what was built before
	const build = process.env.RIGID_BUILD ?? path.join(ROOT, 'build');
	if (!dev && !process.env.RIGID_BUILD)
		await withLock('build', async () => {
			const state = treeHash([
				'src',
				'static',
				'demo',
				'package-lock.json',
				'svelte.config.js',
				'vite.config.ts'
			]);
			once('build', state, () => {
				say('Building …');
				run(bin('vite'), ['build'], { env: { ...env, NODE_ENV: 'production' } });
			});
		});

	const command = dev
		? [bin('vite'), 'dev', '--host', '127.0.0.1', '--port', String(port)]
		: [process.execPath, 'scripts/serve.mjs'];
	const again = backOff();
	/** Serves, and again when the server ends without being told to. */
	function serve() {
		server = spawn(command[0], command.slice(1), {
			cwd: ROOT,
			// served from its source it begins its threads from there too
			env: { ...env, PORT: String(port), RIGID_BUILD: dev ? '' : build },
			stdio: ['ignore', 'inherit', 'inherit'],
			detached: true
		});
		server.on('exit', async (code, signal) => {
			if (stopping) return;
			const wait = again();
			if (wait === null) {
				say('The server ended too often within a short time. What it said stands above.');
				return shutDown(code ?? 1);
			}
			say(`The server ended (${signal ?? `code ${code}`}). It starts again in ${wait / 1000} s.`);
			await new Promise((r) => setTimeout(r, wait));
			if (!stopping) serve();
		});
	}
	serve();
	if (cluster)
		watchDatabase(env).catch((e) => {
			console.error(e.message);
			return shutDown(1);
		});
	for (let i = 0; i < 600 && server.exitCode === null; i++) {
		const up = await fetch(`http://127.0.0.1:${port}/sign-in`).then(
			(r) => r.ok,
			() => false
		);
		if (up) {
			const isDemo = await fetch(`http://127.0.0.1:${port}/ready`).then(
				async (r) => (await r.json()).demo === true,
				() => false
			);
			say(`
Rigid Rule is at  http://localhost:${port}
${
	isDemo
		? `
  Sign in as      ida@quillmere.example     glasshouse-1   administrator
             or   claire@quillmere.example  glasshouse-4   releaser
             or   jonas@quillmere.example   glasshouse-2   author
             or   mieke@quillmere.example   glasshouse-3   reader
`
		: ''
}
Ctrl-C stops it.`);
			break;
		}
		await new Promise((r) => setTimeout(r, 100));
	}
} catch (e) {
	console.error(e.message);
	await shutDown(1);
}
