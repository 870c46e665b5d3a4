// npm test: everything that is checked, from a bare machine. It has its own database, build folder
// and port, so that a running `npm start` goes on undisturbed.
import { spawn, spawnSync } from 'node:child_process';
import { randomBytes } from 'node:crypto';
import path from 'node:path';
import {
	ROOT,
	bin,
	freePort,
	needChromium,
	needProxies,
	npmPackages,
	say,
	startCluster,
	withLock
} from './lib/setup.mjs';

// npm test -- unit service e2e=3-records     some parts, and of the interface only files that match
const only = process.argv.slice(2).map((a) => a.split('=')[0]);
const files = process.argv.slice(2).flatMap((a) => (a.startsWith('e2e=') ? [a.slice(4)] : []));
const wants = (part) => !only.length || only.includes(part);

let cluster = null;
const servers = [];
async function shutDown(code) {
	for (const server of servers) server.kill('SIGTERM');
	await cluster?.stop();
	process.exit(code);
}
for (const signal of ['SIGINT', 'SIGTERM']) process.on(signal, () => shutDown(130));

const times = [];
function step(name, command, args, env = {}) {
	const from = Date.now();
	say(`\n── ${name}`);
	const r = spawnSync(command, args, {
		cwd: ROOT,
		stdio: 'inherit',
		env: { ...process.env, ...env }
	});
	times.push([name, Date.now() - from]);
	if (r.status !== 0) throw new Error(`${name} failed.`);
}

/** Starts a step that uses one core, to be waited for; what it says is shown when it ends. */
function beside(name, command, args, env = {}) {
	const from = Date.now();
	return new Promise((resolve, reject) => {
		const said = [];
		const child = spawn(command, args, {
			cwd: ROOT,
			stdio: ['ignore', 'pipe', 'pipe'],
			env: { ...process.env, ...env }
		});
		for (const stream of [child.stdout, child.stderr]) stream.on('data', (b) => said.push(b));
		child.once('error', reject);
		child.once('close', (code) => {
			times.push([name, Date.now() - from]);
			say(`\n── ${name}\n${Buffer.concat(said).toString()}`);
			if (code === 0) resolve();
			else reject(new Error(`${name} failed.`));
		});
	});
}

/** Of the one who may sign in to the empty workspace; made for this run alone. */
const EMPTY_PASSWORD = `glasshouse-${randomBytes(6).toString('hex')}`;

/** Sets up a database of its own and serves it. @param port the first that is tried */
async function serve(name, port, cluster, env, how = []) {
	const database = `e2e_${randomBytes(4).toString('hex')}`;
	const url = new URL(cluster);
	url.pathname = `/${database}`;
	const whole = { ...env, DATABASE_URL: url.href };
	step(name, process.execPath, ['scripts/create-database.mjs', cluster, database]);
	step(name, bin('tsx'), ['scripts/setup-database.ts', ...how], whole);
	const at = await freePort(port);
	const server = spawn(process.execPath, ['scripts/serve.mjs'], {
		cwd: ROOT,
		env: { ...process.env, ...whole, PORT: String(at) },
		stdio: 'inherit'
	});
	servers.push(server);
	const base = `http://localhost:${at}`;
	for (let i = 0; i < 200; i++) {
		const up = await fetch(`${base}/sign-in`).then(
			(r) => r.ok,
			() => false
		);
		if (up) break;
		await new Promise((r) => setTimeout(r, 100));
	}
	return { base, port: at };
}

try {
	await withLock('install', async () => npmPackages());
	const kit = { RIGID_KIT_DIR: '.svelte-kit' };
	// the types of the routes are generated: what reads them waits for it
	if (['types', 'lint', 'service', 'e2e'].some(wants))
		step('types: routes', bin('svelte-kit'), ['sync'], kit);
	await Promise.all([
		wants('lint') && beside('lint', bin('eslint'), ['.']),
		(async () => {
			if (wants('format'))
				await beside('format', bin('prettier'), ['--check', '--log-level', 'warn', '.']);
			if (wants('types'))
				await beside(
					'types',
					bin('svelte-check'),
					['--tsconfig', './tsconfig.json', '--fail-on-warnings'],
					kit
				);
			if (wants('structure'))
				await beside('structure', bin('depcruise'), [
					'--config',
					'.dependency-cruiser.cjs',
					'src',
					'demo',
					'bench',
					'tests'
				]);
		})()
	]);
	if (wants('unit')) step('unit', bin('vitest'), ['run', '--project', 'core', '--project', 'lib']);
	if (wants('integration') || wants('service') || wants('e2e')) {
		cluster = await startCluster('test-postgres', 5633);
		if (wants('integration'))
			step('integration', bin('vitest'), ['run', '--project', 'integration'], {
				RIGID_TEST_SERVER: cluster.url
			});
		const build = path.join(ROOT, '.data', 'test-build');
		const built = {
			RIGID_BUILD_DIR: build,
			RIGID_KIT_DIR: '.data/test-kit',
			RIGID_BUILD: build,
			NODE_ENV: 'production'
		};
		if (wants('service') || wants('e2e'))
			step('build', bin('vite'), ['build', '--logLevel', 'warn'], built);
		if (wants('service')) {
			needProxies();
			step('service', bin('vitest'), ['run', '--project', 'service'], {
				RIGID_TEST_SERVER: cluster.url,
				RIGID_BUILD: build
			});
		}
		if (wants('e2e')) {
			needChromium();
			const demo = await serve('demo data', 5380, cluster.url, built, ['--demo']);
			// what is taken from one workspace into another needs another
			const empty = await serve('empty workspace', demo.port + 1, cluster.url, {
				...built,
				RIGID_WORKSPACE: 'Quillmere test',
				RIGID_ZONE: 'Europe/Amsterdam',
				RIGID_ADMIN_NAME: 'Ida',
				RIGID_ADMIN_EMAIL: 'ida@quillmere.example',
				RIGID_ADMIN_PASSWORD: EMPTY_PASSWORD
			});
			step('interface', bin('playwright'), ['test', ...files], {
				BASE_URL: demo.base,
				RIGID_EMPTY_URL: empty.base,
				RIGID_EMPTY_PASSWORD: EMPTY_PASSWORD
			});
		}
	}
	say(`\nAll passed. ${times.map(([n, ms]) => `${n} ${(ms / 1000).toFixed(1)} s`).join(' · ')}`);
	await shutDown(0);
} catch (e) {
	console.error(`\n${e.message}`);
	await shutDown(1);
}
