/** The application as it runs: its server as a process of its own, on a database of its own. */
import { spawn, type ChildProcess } from 'node:child_process';
import net from 'node:net';
import path from 'node:path';
import { fileURLToPath } from 'node:url';
import pg from 'pg';

const ROOT = fileURLToPath(new URL('..', import.meta.url));

/** A port that nobody listens on at this moment. */
export const freePort = () =>
	new Promise<number>((resolve, reject) => {
		const s = net.createServer();
		s.once('error', reject);
		s.listen(0, '127.0.0.1', () => {
			const { port } = s.address() as net.AddressInfo;
			s.close(() => resolve(port));
		});
	});

export interface App {
	base: string;
	port: number;
	child: ChildProcess;
	/** What it wrote to its log so far. */
	log: () => string;
	/** Ends it in good order; how it ended. */
	stop: () => Promise<{ code: number | null; signal: string | null; ms: number }>;
	kill: () => Promise<void>;
}

/** Starts the built server on the database of `DATABASE_URL`, and waits until it can work. */
export async function startApp(env: Record<string, string> = {}): Promise<App> {
	const build = process.env.RIGID_BUILD;
	if (!build) throw new Error('RIGID_BUILD is not set: run “npm test -- service”.');
	const port = await freePort();
	const child = spawn(process.execPath, ['scripts/serve.mjs'], {
		cwd: ROOT,
		env: { ...process.env, NODE_ENV: 'production', PORT: String(port), ...env },
		stdio: ['ignore', 'pipe', 'pipe']
	});
	let log = '';
	for (const stream of [child.stdout!, child.stderr!])
		stream.on('data', (b: Buffer) => (log += b.toString()));
	const ended = new Promise<{ code: number | null; signal: string | null }>((r) =>
		child.once('exit', (code, signal) => r({ code, signal }))
	);
	const base = `http://localhost:${port}`;
	for (let i = 0; ; i++) {
		const up = await fetch(`${base}/ready`).then(
			(r) => r.ok,
			() => false
		);
		if (up) break;
		if (child.exitCode !== null || i > 600) throw new Error(`The server did not start.\n${log}`);
		await new Promise((r) => setTimeout(r, 100));
	}
	return {
		base,
		port,
		child,
		log: () => log,
		async stop() {
			const from = Date.now();
			child.kill('SIGTERM');
			return { ...(await ended), ms: Date.now() - from };
		},
		async kill() {
			child.kill('SIGKILL');
			await ended;
		}
	};
}

/** One who is signed in, and asks. */
export class Client {
	cookie = '';
	constructor(
		readonly base: string,
		readonly headers: Record<string, string> = {}
	) {}

	ask(url: string, init: RequestInit & { json?: unknown } = {}): Promise<Response> {
		const { json, ...rest } = init;
		return fetch(this.base + url, {
			redirect: 'manual',
			...rest,
			...(json === undefined ? {} : { body: JSON.stringify(json) }),
			headers: {
				origin: this.base,
				accept: 'application/json',
				...(this.cookie ? { cookie: this.cookie } : {}),
				...(json === undefined ? {} : { 'content-type': 'application/json' }),
				...this.headers,
				...(init.headers as Record<string, string>)
			}
		});
	}

	/** Sends a form of a page. */
	form(url: string, values: Record<string, string>): Promise<Response> {
		return this.ask(url, {
			method: 'POST',
			body: new URLSearchParams(values),
			headers: { accept: 'text/html' }
		});
	}

	async signIn(email: string, password: string): Promise<this> {
		const r = await this.form('/sign-in', { email, password });
		const set = r.headers.getSetCookie().find((c) => /^(__Host-)?session=/.test(c));
		if (!set) throw new Error(`${email} did not get in: ${r.status}`);
		this.cookie = set.split(';')[0];
		return this;
	}
}

/** Lets whoever counts customers wait meanwhile. */
export async function withCountsHeldUp(work: () => Promise<void>): Promise<void> {
	const holder = new pg.Client({ connectionString: process.env.DATABASE_URL });
	await holder.connect();
	try {
		await holder.query('begin');
		await holder.query('lock table r_customer in access exclusive mode');
		await work();
	} finally {
		await holder.end();
	}
}

/** Runs a script of the project to its end. */
export function script(
	args: string[],
	env: Record<string, string> = {},
	killedAfter?: number
): Promise<{ code: number | null; out: string }> {
	return new Promise((resolve) => {
		const tsx = path.join(ROOT, 'node_modules', '.bin', 'tsx');
		const child = spawn(tsx, args, { cwd: ROOT, env: { ...process.env, ...env }, detached: true });
		let out = '';
		for (const stream of [child.stdout, child.stderr])
			stream.on('data', (b: Buffer) => (out += b.toString()));
		if (killedAfter !== undefined)
			// the script and what it started
			setTimeout(() => {
				try {
					process.kill(-child.pid!, 'SIGKILL');
				} catch {
					// it was done before
				}
			}, killedAfter);
		child.once('close', (code) => resolve({ code, out }));
	});
}
