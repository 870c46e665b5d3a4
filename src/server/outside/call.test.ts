/** Requests to systems outside: where they may go, what is made of answers, and when they are tried again. */
import http from 'node:http';
import type { AddressInfo } from 'node:net';
import fc from 'fast-check';
import { afterAll, afterEach, beforeAll, describe, expect, it } from 'vitest';
import { TRIED_FOR, waitAfter } from './again';
import { NoAnswer, call, isInside, notToReach, retryAfter } from './call';
import { became } from './hooks';

describe('where requests may go', () => {
	// the tables of RFC 6890 (2.2.2 and 2.2.3), and beside each the address just outside of it
	it.each([
		['127.0.0.1', '128.0.0.1'],
		['10.255.255.255', '11.0.0.0'],
		['172.16.0.1', '172.32.0.1'],
		['192.168.3.4', '192.169.0.0'],
		['169.254.169.254', '169.255.0.0'],
		['100.64.0.1', '100.128.0.1'],
		['192.0.2.7', '192.0.3.7'],
		['0.0.0.0', '1.0.0.0'],
		['255.255.255.255', '223.255.255.255'],
		['::1', '2606:4700::1'],
		['::', '2a00::1'],
		['fe80::1', 'fec0::1'],
		['fd12:3456::1', 'fe00::1'],
		['2001:db8::1', '2001:db9::1'],
		['64:ff9b::a00:1', '64:ff9c::1'],
		['::ffff:127.0.0.1', '::ffff:8.8.8.8'],
		['::ffff:a00:1', '::ffff:808:808']
	])('%s is inside, %s is not', (inside, outside) => {
		expect([isInside(inside), isInside(outside)]).toEqual([true, false]);
	});

	it('every way of writing an address inside is refused', () => {
		for (const host of [
			'127.0.0.1',
			'2130706433',
			'0x7f.1',
			'0177.0.0.1',
			'localhost',
			'LOCALHOST',
			'shop.localhost',
			'[::1]',
			'[::ffff:127.0.0.1]',
			'169.254.169.254'
		])
			expect([host, notToReach(new URL(`http://${host}/x`))]).toEqual([
				host,
				expect.stringContaining('inside of this house')
			]);
		expect(notToReach(new URL('https://shop.example/x'))).toBeNull();
	});
});

describe('when it is tried again', () => {
	it('later each time, never at the same moment, and not for longer than three days', () => {
		expect(waitAfter(1, 0, 0, 0)).toBe(5_000);
		expect(waitAfter(2, 0, 0, 0)).toBe(15_000);
		expect(waitAfter(100, 0, 0, 0)).toBe(3 * 3_600_000);
		expect(waitAfter(1, 0, 60_000, 0)).toBe(60_000);
		expect(waitAfter(9, TRIED_FOR, 0, 0)).toBeNull();
		fc.assert(
			fc.property(fc.nat(50), fc.double({ min: 0, max: 1, noNaN: true }), (n, chance) => {
				const [a, b] = [waitAfter(n, 0, 0, chance)!, waitAfter(n + 1, 0, 0, chance)!];
				return a <= b && a >= 5_000 && b <= 3 * 3_600_000 * 1.1;
			})
		);
		// tried again and again it comes to an end
		let age = 0;
		let n = 0;
		for (let wait: number | null; (wait = waitAfter(++n, age, 0, 0)) !== null;) age += wait;
		expect([n > 20, n < 40, age <= TRIED_FOR]).toEqual([true, true, true]);
	});

	it('as RFC 9110 (10.2.3) has Retry-After: seconds or a date', () => {
		const now = Date.parse('1999-12-31T23:58:59Z');
		expect(retryAfter('120', now)).toBe(120_000);
		// its example
		expect(retryAfter('Fri, 31 Dec 1999 23:59:59 GMT', now)).toBe(60_000);
		expect(retryAfter('Fri, 31 Dec 1998 23:59:59 GMT', now)).toBe(0);
		for (const odd of [undefined, '', 'soon', '-5', '1e99'])
			expect(retryAfter(odd, now)).toBeLessThan(1);
	});
});

describe('what an answer makes of an event', () => {
	const answered = (status: number, wait = 0) => ({ status, wait, text: 'because' });
	const e = { attempts: 0, age: 0 };
	it.each([
		[200, 'taken'],
		[204, 'taken'],
		[302, 'waiting'],
		[400, 'refused'],
		[401, 'waiting'],
		[404, 'waiting'],
		[410, 'waiting'],
		[413, 'refused'],
		[422, 'refused'],
		[429, 'waiting'],
		[500, 'waiting'],
		[503, 'waiting']
	])('%i: %s', (status, what) => {
		expect(became(answered(status), e, 0).status).toBe(what);
	});
	it('410 switches the hook off, and the event stays to be told', () => {
		expect(became(answered(410), e, 0)).toMatchObject({
			status: 'waiting',
			off: expect.stringContaining('410')
		});
	});
	it('nothing for three days is given up, and says so', () => {
		expect(became(new NoAnswer('Nobody listens.'), { attempts: 30, age: TRIED_FOR }, 30)).toEqual(
			expect.objectContaining({
				status: 'given up',
				trouble: 'Nobody listens. It was tried for three days.'
			})
		);
	});
	it('a hook rests only after several attempts failed, and as long as it asks', () => {
		expect(became(answered(500), e, 0, 0).rest).toBe(0);
		expect(became(answered(500), e, 2, 0).rest).toBe(5_000);
		expect(became(answered(500), e, 40, 0).rest).toBe(300_000);
		expect(became(answered(429, 90_000), e, 0, 0)).toMatchObject({ rest: 90_000, again: 90_000 });
	});
});

describe('a request', () => {
	let server: http.Server;
	let url: URL;
	let seen: { method?: string; headers: http.IncomingHttpHeaders; body: string }[] = [];
	let answer: (res: http.ServerResponse) => void = (res) => res.end('Taken.');
	beforeAll(async () => {
		server = http.createServer((req, res) => {
			let body = '';
			req.on('data', (d) => (body += d));
			req.on('end', () => {
				seen.push({ method: req.method, headers: req.headers, body });
				answer(res);
			});
		});
		await new Promise<void>((done) => server.listen(0, '127.0.0.1', done));
		url = new URL(`http://127.0.0.1:${(server.address() as AddressInfo).port}/in`);
	});
	afterEach(() => {
		seen = [];
		answer = (res) => res.end('Taken.');
		delete process.env.RIGID_HOOKS_INSIDE;
	});
	afterAll(() => {
		server.closeAllConnections();
		server.close();
	});

	it('is not made to the inside, by address or by name, unless the server is told to', async () => {
		await expect(call(url, {}, 'x')).rejects.toThrow('inside of this house');
		const named = new URL(`http://localhost:${url.port}/in`);
		await expect(call(named, {}, 'x')).rejects.toThrow('inside of this house');
		expect(seen).toEqual([]);
		process.env.RIGID_HOOKS_INSIDE = 'elsewhere.example, 127.0.0.1';
		expect(await call(url, { 'webhook-id': '7' }, 'grüß')).toEqual({
			status: 200,
			wait: 0,
			text: 'Taken.'
		});
		expect(seen).toMatchObject([{ method: 'POST', body: 'grüß', headers: { 'webhook-id': '7' } }]);
	});

	it('follows no redirect', async () => {
		answer = (res) => res.writeHead(307, { location: '/elsewhere' }).end();
		expect((await call(url, {}, 'x', { inside: true })).status).toBe(307);
		expect(seen).toHaveLength(1);
	});

	it('reads the beginning of an answer without an end, and waits for none that does not come', async () => {
		answer = (res) => {
			const more = setInterval(() => res.write('x'.repeat(1_000)), 1);
			res.on('close', () => clearInterval(more));
		};
		expect((await call(url, {}, 'x', { inside: true })).text).toBe('x'.repeat(2_000));
		answer = () => undefined;
		await expect(call(url, {}, 'x', { inside: true, limit: 150 })).rejects.toThrow(
			'No answer within 0.15 seconds.'
		);
		answer = (res) => {
			res.write('a beginning');
		};
		await expect(call(url, {}, 'x', { inside: true, limit: 150 })).rejects.toThrow('No answer');
		answer = (res) => res.destroy();
		await expect(call(url, {}, 'x', { inside: true })).rejects.toThrow('broken off');
	});

	it('says that nobody listens, or that there is no such host', async () => {
		const closed = new URL('http://127.0.0.1:1/');
		await expect(call(closed, {}, 'x', { inside: true })).rejects.toThrow('Nobody listens');
		await expect(call(new URL('http://nowhere.invalid/'), {}, 'x')).rejects.toBeInstanceOf(
			NoAnswer
		);
	});
});
