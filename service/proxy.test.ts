/** Behind a proxy that ends TLS, as docs/operations.md says: protocol, host and address come from it, and from nobody else. */
import { execFileSync, spawn, type ChildProcess } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import https from 'node:https';
import type { IncomingHttpHeaders } from 'node:http';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { createGunzip } from 'node:zlib';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { readEntries } from '../src/server/db/audit';
import { db } from '../src/server/db/pool';
import { freshDatabase, type Fresh } from '../tests/fresh';
import { freePort, startApp, withCountsHeldUp, type App } from './app';

const HOST = 'rules.quillmere.example';
let t: Fresh;
let app: App;
let nginx: ChildProcess;
let folder: string;
let port: number;
let ca: Buffer;

/** The configuration that docs/operations.md gives, with the paths and ports of this test. */
const configuration = () => {
	const docs = readFileSync(new URL('../docs/operations.md', import.meta.url), 'utf8');
	const server = /```nginx\n([\s\S]*?)```/.exec(docs)![1];
	return `daemon off; pid ${folder}/pid; error_log ${folder}/error.log;
		events {}
		http { access_log off; client_body_temp_path ${folder}/b; proxy_temp_path ${folder}/p;
		fastcgi_temp_path ${folder}/f; uwsgi_temp_path ${folder}/u; scgi_temp_path ${folder}/s;
		${server
			.replace('443 ssl', `127.0.0.1:${port} ssl`)
			.replace(/rules\.example\.com/g, HOST)
			.replace(/\/etc\/ssl\/[\w./-]+\.pem/g, `${folder}/cert.pem`)
			.replace(/\/etc\/ssl\/[\w./-]+\.key/g, `${folder}/key.pem`)
			.replaceAll('127.0.0.1:5280', `127.0.0.1:${app.port}`)}
		}`;
};

beforeAll(async () => {
	t = await freshDatabase();
	app = await startApp({
		RIGID_HOSTS: HOST,
		RIGID_PROXIES: 'loopback',
		// what waits is not given up while a test looks
		RIGID_DB_LOCK_LIMIT: '300000'
	});
	folder = mkdtempSync(path.join(tmpdir(), 'rigid-proxy-'));
	port = await freePort();
	execFileSync(
		'openssl',
		[
			'req',
			'-x509',
			'-newkey',
			'rsa:2048',
			'-nodes',
			'-days',
			'2',
			'-subj',
			`/CN=${HOST}`,
			'-addext',
			`subjectAltName=DNS:${HOST}`,
			'-keyout',
			`${folder}/key.pem`,
			'-out',
			`${folder}/cert.pem`
		],
		{ stdio: 'ignore' }
	);
	ca = readFileSync(`${folder}/cert.pem`);
	writeFileSync(`${folder}/nginx.conf`, configuration());
	nginx = spawn('/usr/sbin/nginx', ['-e', `${folder}/error.log`, '-c', `${folder}/nginx.conf`], {
		stdio: 'ignore'
	});
	for (let i = 0; i < 100; i++) {
		if (
			await ask('/health').then(
				() => true,
				() => false
			)
		)
			return;
		await new Promise((r) => setTimeout(r, 100));
	}
	throw new Error(`nginx did not start: ${readFileSync(`${folder}/error.log`, 'utf8')}`);
}, 120_000);
afterAll(async () => {
	nginx.kill('SIGTERM');
	await app.stop();
	await t.drop();
	rmSync(folder, { recursive: true, force: true });
});

interface Answered {
	status: number;
	headers: IncomingHttpHeaders;
	body: string;
}
/** Asks through the proxy, as a browser would that knows it by its name. */
const ask = (
	url: string,
	init: { method?: string; headers?: Record<string, string>; body?: string } = {}
) =>
	new Promise<Answered>((resolve, reject) => {
		const req = https.request(
			{
				host: '127.0.0.1',
				port,
				path: url,
				method: init.method ?? 'GET',
				servername: HOST,
				ca,
				headers: { host: HOST, ...init.headers }
			},
			(res) => {
				let body = '';
				res.on('data', (b: Buffer) => (body += b.toString()));
				res.on('end', () => resolve({ status: res.statusCode!, headers: res.headers, body }));
			}
		);
		req.on('error', reject);
		req.end(init.body);
	});
const signIn = (headers: Record<string, string> = {}) =>
	ask('/sign-in', {
		method: 'POST',
		headers: {
			origin: `https://${HOST}`,
			accept: 'text/html',
			'content-type': 'application/x-www-form-urlencoded',
			...headers
		},
		body: new URLSearchParams({
			email: 'ida@quillmere.example',
			password: 'glasshouse-1'
		}).toString()
	});
/** What comes of an answer until it has a text; the rest is not waited for. */
const beginning = (url: string, headers: Record<string, string>, until: string) =>
	new Promise<string>((resolve, reject) => {
		const req = https.request(
			{
				host: '127.0.0.1',
				port,
				path: url,
				servername: HOST,
				ca,
				headers: { host: HOST, ...headers }
			},
			(res) => {
				if (res.statusCode !== 200)
					reject(
						new Error(
							`${res.statusCode} ${readFileSync(`${folder}/error.log`, 'utf8').slice(-600)}`
						)
					);
				const packed = res.headers['content-encoding'] === 'gzip';
				let said = '';
				(packed ? res.pipe(createGunzip()) : res).on('data', (b: Buffer) => {
					said += b.toString();
					if (!said.includes(until)) return;
					req.destroy();
					resolve(said);
				});
			}
		);
		req.on('error', reject);
		req.end();
	});
const newest = async () =>
	(
		await readEntries(
			db(),
			t.workspace,
			{ deeds: ['signed in'], find: '', from: null, to: null },
			{ most: 1 }
		)
	)[0];

describe('behind a proxy that ends TLS', () => {
	it('one signs in, with a cookie that only TLS carries, and works', async () => {
		const r = await signIn();
		expect([r.status, r.headers.location]).toEqual([303, '/']);
		const [cookie] = r.headers['set-cookie']!;
		expect(cookie).toMatch(/^__Host-session=.*Path=\/;.*HttpOnly.*Secure.*SameSite=Lax/i);
		expect(r.headers['strict-transport-security']).toMatch(/max-age=\d{7,}/);
		const session = cookie.split(';')[0];
		const page = await ask('/records/customer', { headers: { cookie: session } });
		expect([page.status, page.headers['strict-transport-security']]).toEqual([
			200,
			expect.anything()
		]);
		// whatever a page loads, its headers are as many as a proxy takes that nobody told otherwise
		for (const path of [
			'/write/customer/size_class',
			'/try',
			'/rehearse',
			'/release',
			'/records/deal?view=1'
		])
			expect([path, (await ask(path, { headers: { cookie: session } })).status]).toEqual([
				path,
				200
			]);
		const edit = await ask('/draft', {
			method: 'PATCH',
			headers: { cookie: session, origin: `https://${HOST}`, 'content-type': 'application/json' },
			body: '{"pieces":[]}'
		});
		expect(edit.status).toBe(200);
		// by http it would be another site
		const other = await ask('/draft', {
			method: 'PATCH',
			headers: { cookie: session, origin: `http://${HOST}` },
			body: '{"pieces":[]}'
		});
		expect(other.status).toBe(403);
	});
	it('the address is that of who asks the proxy, not one that they claim', async () => {
		await signIn({
			'x-forwarded-for': '203.0.113.7',
			'x-forwarded-host': 'elsewhere.example',
			'x-forwarded-proto': 'http'
		});
		expect((await newest()).address).toBe('127.0.0.1');
		const r = await signIn({ 'x-rigid-address': '203.0.113.8', 'x-rigid-protocol': 'http' });
		expect(r.headers['set-cookie']![0]).toContain('Secure');
		expect((await newest()).address).toBe('127.0.0.1');
	});
	it('what others do is told at once, unbuffered', async () => {
		const session = (await signIn()).headers['set-cookie']![0].split(';')[0];
		const first = await beginning('/draft/events', { cookie: session }, '"revision"');
		expect(first).toContain('data: {"kind":"changed"');
	});
	it('a page is passed on before its counts are there', async () => {
		const session = (await signIn()).headers['set-cookie']![0].split(';')[0];
		const asked = { cookie: session, accept: 'text/html', 'accept-encoding': 'gzip' };
		await withCountsHeldUp(async () => {
			expect(await beginning('/model/customer', asked, 'Trading name')).toContain('<title>');
		});
	});
	it('the API gives its address as the world knows it', async () => {
		const doc = JSON.parse((await ask('/api/v1/openapi.json')).body) as {
			servers: { url: string }[];
		};
		expect(doc.servers[0].url).toBe(`https://${HOST}`);
	});
});

describe('whoever is no proxy', () => {
	let plain: App;
	beforeAll(async () => {
		plain = await startApp();
	});
	afterAll(async () => {
		await plain.stop();
	});
	it('is not believed about protocol, host and address', async () => {
		const headers = {
			'x-forwarded-proto': 'https',
			'x-forwarded-for': '203.0.113.9',
			'x-forwarded-host': 'elsewhere.example'
		};
		const r = await fetch(`${plain.base}/sign-in`, {
			method: 'POST',
			redirect: 'manual',
			headers: { ...headers, origin: plain.base, accept: 'text/html' },
			body: new URLSearchParams({ email: 'ida@quillmere.example', password: 'glasshouse-1' })
		});
		expect(r.status).toBe(303);
		expect(r.headers.get('set-cookie')).not.toMatch(/Secure/i);
		expect(r.headers.get('strict-transport-security')).toBeNull();
		expect((await newest()).address).toBe('127.0.0.1');
	});
	it('gets no answer for a name that is not ours', async () => {
		const status = await new Promise((resolve, reject) => {
			import('node:http').then(({ get }) =>
				get(
					{
						host: '127.0.0.1',
						port: plain.port,
						path: '/sign-in',
						headers: { host: 'elsewhere.example' }
					},
					(res) => resolve(res.statusCode)
				).on('error', reject)
			);
		});
		expect(status).toBe(421);
	});
});

it('proxies that are none stop the start with a sentence', async () => {
	await expect(startApp({ RIGID_PROXIES: 'everybody' })).rejects.toThrow(
		'RIGID_PROXIES names proxies'
	);
});
