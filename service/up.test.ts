/** What could end the built server: files of the pages however they are asked for, and errors that nobody caught. */
import { cpSync, mkdtempSync, readdirSync, readlinkSync, rmSync, statSync } from 'node:fs';
import net from 'node:net';
import path from 'node:path';
import { fileURLToPath } from 'node:url';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { freshDatabase, type Fresh } from '../tests/fresh';
import { startApp, type App } from './app';

/** Within the project, so that what the build imports is found from there. */
const FOLDER = fileURLToPath(new URL('../.data', import.meta.url));
const CHUNKS = '_app/immutable/chunks';
let t: Fresh;
let app: App;
let build: string;
beforeAll(async () => {
	t = await freshDatabase({ customers: 1, contacts: 0, leads: 0, deals: 0 });
	build = mkdtempSync(path.join(FOLDER, 'files-build-'));
	cpSync(process.env.RIGID_BUILD!, build, { recursive: true });
	app = await startApp({ RIGID_BUILD: build });
});
afterAll(async () => {
	await app.stop();
	rmSync(build, { recursive: true });
	await t.drop();
});

const files = () =>
	readdirSync(path.join(build, 'client', CHUNKS))
		.filter((f) => f.endsWith('.js'))
		.map((name) => ({ name, size: statSync(path.join(build, 'client', CHUNKS, name)).size }))
		.sort((a, b) => b.size - a.size);
const ask = (file: string, headers: Record<string, string> = {}) =>
	fetch(`${app.base}/${CHUNKS}/${file}`, {
		headers: { 'accept-encoding': 'identity', ...headers }
	});
const isUp = () => fetch(`${app.base}/ready`).then((r) => r.ok);
/** How many of these files the server has open. */
const open = () =>
	readdirSync(`/proc/${app.child.pid}/fd`).filter((fd) => {
		try {
			return readlinkSync(`/proc/${app.child.pid}/fd/${fd}`).includes(CHUNKS);
		} catch {
			return false;
		}
	}).length;
const until = async (what: () => boolean) => {
	for (let i = 0; i < 100 && !what(); i++) await new Promise((r) => setTimeout(r, 50));
};

describe('a file of the pages', () => {
	it.each([
		'bytes=5-2',
		'bytes=-5',
		'bytes=0-',
		'bytes=9999999999-',
		'bytes=x',
		'bytes=0-1,3-4',
		''
	])('is sent whole where a stretch of it is asked for: “%s”', async (range) => {
		const [{ name, size }] = files();
		const r = await ask(name, { range });
		expect([r.status, (await r.arrayBuffer()).byteLength]).toEqual([200, size]);
		expect(await isUp()).toBe(true);
	});

	it('that is not there any more ends its answer and nothing else', async () => {
		const { name } = files().at(-1)!;
		expect((await ask(name)).status).toBe(200);
		rmSync(path.join(build, 'client', CHUNKS, name));
		await expect(ask(name).then((r) => r.text())).rejects.toThrow();
		expect(await isUp()).toBe(true);
	});

	it('is open no longer than whoever asked for it is there', async () => {
		const [{ name }] = files();
		const sockets = await Promise.all(
			Array.from(
				{ length: 20 },
				() =>
					new Promise<net.Socket>((resolve) => {
						const s = net.connect(app.port, '127.0.0.1', () => {
							s.write(`GET /${CHUNKS}/${name} HTTP/1.1\r\nHost: localhost:${app.port}\r\n\r\n`);
							// what came is not read on: the server waits with the rest
							s.once('readable', () => resolve(s));
						});
					})
			)
		);
		expect(open()).toBeGreaterThan(0);
		for (const s of sockets) s.destroy();
		await until(() => open() === 0);
		expect(open()).toBe(0);
	});
});

describe('an error that nobody caught', () => {
	/** What a server does on a signal of the test's: SIGUSR2 throws, SIGWINCH leaves a promise that fails. */
	const odd = `process.on('SIGUSR2', () => setTimeout(() => { throw new Error('odd') }));
		process.on('SIGWINCH', () => void Promise.reject(new Error('alone')));`;
	it('of a promise ends nothing; after any other, requests under way finish and the server ends, to be started anew', async () => {
		const other = await startApp({
			NODE_OPTIONS: `--import data:text/javascript;base64,${Buffer.from(odd).toString('base64')}`
		});
		const told = async (what: string) => {
			await until(() => other.log().includes(what));
			expect(other.log()).toContain(what);
		};
		other.child.kill('SIGWINCH');
		await told('Error: alone');
		expect((await fetch(`${other.base}/ready`)).ok).toBe(true);
		const ended = new Promise((r) => other.child.once('exit', r));
		// one that is under way: its body comes only after the error
		let send: (end: string) => void = () => undefined;
		const answer = new Promise<string>((resolve, reject) => {
			let text = '';
			const s = net.connect(other.port, '127.0.0.1', () =>
				s.write(
					`POST /sign-in HTTP/1.1\r\nHost: localhost:${other.port}\r\nConnection: close\r\nContent-Type: text/plain\r\nContent-Length: 2\r\n\r\na`
				)
			);
			s.on('data', (d) => (text += String(d)));
			s.on('close', () => resolve(text));
			s.on('error', reject);
			send = (end) => s.write(end);
		});
		await new Promise((r) => setTimeout(r, 300));
		other.child.kill('SIGUSR2');
		await told('Error: odd');
		send('b');
		expect(await answer).toMatch(/^HTTP\/1.1 [234]/);
		expect(await ended).toBe(1);
	});
});
