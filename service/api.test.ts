/** The API as other systems meet it: its document, its examples, the same thing once, versions, hostile input. */
import SwaggerParser from '@apidevtools/swagger-parser';
import { Ajv2020 } from 'ajv/dist/2020';
import fc from 'fast-check';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { runCli } from '../src/cli/run';
import { checkBundle } from '../src/door';
import { ROUTES } from '../src/server/http/routes';
import { createToken } from '../src/server/people/accounts';
import { addPerson } from '../src/server/people/people';
import { db } from '../src/server/db/pool';
import { freshDatabase, type Fresh } from '../tests/fresh';
import { Client, startApp, type App } from './app';

let t: Fresh;
let app: App;
let api: Client;
let page: Client;
beforeAll(async () => {
	t = await freshDatabase();
	app = await startApp();
	const token = await createToken(t.admin, t.admin, {
		name: 'A',
		role: 'administrator',
		ends: null
	});
	api = new Client(app.base, { authorization: `Bearer ${token}` });
	page = await new Client(app.base).signIn('ida@quillmere.example', 'glasshouse-1');
}, 120_000);
afterAll(async () => {
	await app.stop();
	await t.drop();
});

// documents are looked into here, whatever they are
// eslint-disable-next-line @typescript-eslint/no-explicit-any
type Doc = Record<string, any>;
const document = async (): Promise<Doc> => (await fetch(`${app.base}/api/v1/openapi.json`)).json();
const count = async (type = 'customer') =>
	Number((await db().query<{ n: string }>(`select count(*) as n from r_${type}`)).rows[0].n);

describe('the document of the API', () => {
	it('is OpenAPI 3.1, valid by the schema of the standard', async () => {
		const doc = await document();
		expect(doc.openapi).toBe('3.1.0');
		await SwaggerParser.validate(doc as never);
	});
	it('names every doing of the API in the table of routes', async () => {
		const { paths } = await document();
		const told = Object.entries(paths as Doc).flatMap(([path, doings]) =>
			Object.keys(doings as Doc)
				.filter((k) => k !== 'parameters')
				.map((method) => `${method.toUpperCase()} ${path.replace(/\{(\w+)\}/g, '[$1]')}`)
		);
		const there = Object.entries(ROUTES)
			.filter(([route]) => route.startsWith('/api/v1/') && !route.endsWith('openapi.json'))
			.flatMap(([route, doings]) => Object.keys(doings).map((m) => `${m} ${route}`));
		expect(told.sort()).toEqual(there.sort());
	});
	it('has examples that run, and answers that are as it says', async () => {
		const doc = (await SwaggerParser.dereference((await document()) as never)) as Doc;
		const ajv = new Ajv2020({ strict: false });
		// one who may lose their password and sessions
		const { id: somebody } = await addPerson(t.admin, {
			name: 'Somebody',
			email: 'somebody@quillmere.example',
			role: 'reader',
			person: null
		});
		let run = 0;
		for (const [path, doings] of Object.entries(doc.paths as Doc))
			for (const [method, doing] of Object.entries(doings as Doc)) {
				if (method === 'parameters') continue;
				const id = path.includes('/people/')
					? somebody
					: path.includes('/tables/')
						? 'district_postcodes'
						: '1';
				const url = path.replace('{type}', 'customer').replace('{id}', id);
				const content = doing.requestBody?.content['application/json'];
				if (content) expect(ajv.validate(content.schema, content.example)).toBe(true);
				for (const body of content ? [content.example, { values: 1 }, {}] : [undefined]) {
					const r = await api.ask(url, { method: method.toUpperCase(), json: body });
					const said = doing.responses[String(r.status)];
					expect([method, path, r.status, said === undefined]).toEqual([
						method,
						path,
						r.status,
						false
					]);
					const ok = ajv.validate(said.content['application/json'].schema, await r.json());
					expect([path, r.status, ajv.errors, ok]).toEqual([path, r.status, null, true]);
					run++;
				}
			}
		expect(run).toBeGreaterThan(8);
	});
});

describe('a bundle by the API', () => {
	const bundle = (of: string) => api.ask(`/api/v1/bundle?of=${of}`);
	it('is what the door takes, and has the trials run without a server as they run here', async () => {
		const doc = await (await bundle('draft')).json();
		const { trials, set } = checkBundle(doc);
		expect(set.rules.length).toBeGreaterThan(20);
		const { text } = runCli(['try', 'b.json'], () => JSON.stringify(doc));
		expect(JSON.parse(text)).toMatchObject({ of: trials.length });
	});
	it('is not given to a token that reaches some record types only', async () => {
		const token = await createToken(t.admin, t.admin, {
			name: 'B',
			role: 'reader',
			types: ['customer'],
			ends: null
		});
		const some = new Client(app.base, { authorization: `Bearer ${token}` });
		expect((await some.ask('/api/v1/bundle?of=draft')).status).toBe(403);
	});
	it('of what there is not is not there', async () => {
		for (const of of ['99', '0', 'x', 'constructor', '1e3', '-1', '9'.repeat(400)])
			expect((await bundle(of)).status).toBe(404);
	});
});

describe('the rows of a table by the API', () => {
	const url = '/api/v1/tables/district_postcodes/rows';
	const table = async (): Promise<Doc> => (await api.ask(url)).json();
	const send = (json: object, by = api) => by.ask(url, { method: 'PATCH', json });
	it('are taken as they are given, and change nothing then', async () => {
		const { rows, edit, keys } = await table();
		expect(keys).toEqual(['country', 'begins']);
		expect(rows.length).toBeGreaterThan(50);
		const r = await send({ rows, edit });
		expect([r.status, await r.json()]).toEqual([
			200,
			{ edit: null, added: 0, changed: 0, removed: 0, notThere: [] }
		]);
	});
	it('are in force at once, and whoever saw others is told who was first', async () => {
		const { edit } = await table();
		const row = { country: 'Poland', begins: '98-5' };
		expect(await (await send({ rows: [{ ...row, district: '2' }] })).json()).toMatchObject({
			added: 1
		});
		const made = await api.ask('/api/v1/records/customer', {
			method: 'POST',
			json: { values: { trading_name: 'Yard', country: 'Poland', postal_code: '98-512' } }
		});
		expect(((await made.json()) as Doc).values.service_district).toBe('2');
		const late = await send({ rows: [{ ...row, district: '3' }], edit });
		expect(late.status).toBe(409);
		expect(await late.json()).toMatchObject({
			message: `Somebody else edited rows[0] since edit ${edit}. Nothing was stored.`,
			overtaken: [{ by: t.admin.name }]
		});
	});
	it('are not for a token that reaches some record types only, nor for whom they were not given to', async () => {
		const client = async (by: typeof t.admin, more: object) =>
			new Client(app.base, {
				authorization: `Bearer ${await createToken(t.admin, by, { name: 'R', role: 'reader', ends: null, ...more })}`
			});
		const some = await client(t.admin, { types: ['customer'] });
		expect((await some.ask(url)).status).toBe(403);
		const author = await client(t.author, {});
		expect((await author.ask(url)).status).toBe(200);
		expect((await send({ rows: [{ country: 'poland', begins: '1' }] }, author)).status).toBe(403);
		expect((await api.ask('/api/v1/tables/constructor/rows')).status).toBe(404);
	});
});

describe('the same request', () => {
	const send = (key: string, values: object, url = '/api/v1/records/customer') =>
		api.ask(url, { method: 'POST', json: { values }, headers: { 'idempotency-key': key } });
	it('is carried out once, and answered the same; twenty at once as well', async () => {
		const before = await count();
		const all = await Promise.all(
			Array.from({ length: 20 }, () => send('once-1', { trading_name: 'Once', headcount: 51 }))
		);
		expect(await count()).toBe(before + 1);
		expect(all.map((r) => r.status)).toEqual(Array(20).fill(201));
		const bodies = new Set(await Promise.all(all.map((r) => r.text())));
		expect(bodies.size).toBe(1);
		expect(all.filter((r) => r.headers.get('idempotent-replayed'))).toHaveLength(19);
		expect(all[0].headers.get('etag')).toBe('"1"');
	});
	it('with another body is refused; another address has keys of its own', async () => {
		await send('once-2', { trading_name: 'A' });
		const other = await send('once-2', { trading_name: 'B' });
		expect([other.status, ((await other.json()) as Doc).message]).toEqual([
			422,
			expect.stringContaining('with another request')
		]);
		expect((await send('once-2', {}, '/api/v1/records/lead')).status).not.toBe(422);
	});
	it('that was refused is refused the same, and what failed is not kept', async () => {
		const bad = { headcount: 'many' };
		const a = await send('once-3', bad);
		const b = await send('once-3', bad);
		expect([a.status, b.status, b.headers.get('idempotent-replayed')]).toEqual([400, 400, 'true']);
		expect(await a.text()).toBe(await b.text());
		for (const odd of ['', 'with space', 'x'.repeat(201), 'ümlaut'])
			if (odd && !/[^\x00-\xff]/.test(odd)) expect((await send(odd, bad)).status).toBe(400);
	});
	it('as a batch of singles keeps each outcome', async () => {
		const before = await count();
		const ask = () =>
			api.ask('/api/v1/batch', {
				method: 'POST',
				headers: { 'idempotency-key': '"batch-1"' },
				json: {
					allOrNothing: false,
					records: [
						{ type: 'customer', values: { trading_name: 'One' } },
						{ type: 'customer', values: { headcount: 'many' } },
						{ type: 'customer', values: { trading_name: 'Two' } }
					]
				}
			});
		const [a, b] = [await (await ask()).text(), await (await ask()).text()];
		expect(a).toBe(b);
		expect((JSON.parse(a) as Doc).results.map((x: Doc) => x.status)).toEqual([201, 400, 201]);
		expect(await count()).toBe(before + 2);
	});
	it('is forgotten after a day', async () => {
		await send('once-4', { trading_name: 'Day' });
		await db().query(
			"update kept_answer set at = now() - interval '25 hours' where key = 'once-4'"
		);
		const before = await count();
		expect(
			(await send('once-4', { trading_name: 'Day' })).headers.get('idempotent-replayed')
		).toBeNull();
		expect(await count()).toBe(before + 1);
	});
});

describe('a version', () => {
	it('is the ETag; If-Match of another is 412, version of another 409', async () => {
		const got = await api.ask('/api/v1/records/customer/2');
		const etag = got.headers.get('etag')!;
		const change = (headers: Record<string, string>, more: object = {}) =>
			api.ask('/api/v1/records/customer/2', {
				method: 'PATCH',
				headers,
				json: { values: { headcount: String(Math.ceil(Math.random() * 1e6)) }, ...more }
			});
		const ok = await change({ 'if-match': etag });
		expect(ok.status).toBe(200);
		expect(ok.headers.get('etag')).not.toBe(etag);
		const late = await change({ 'if-match': etag });
		expect([late.status, ((await late.json()) as Doc).current]).toEqual([412, expect.anything()]);
		expect((await change({}, { version: 1 })).status).toBe(409);
		expect((await change({ 'if-match': '*' })).status).toBe(200);
		expect((await change({ 'if-match': 'W/"x"' })).status).toBe(400);
		expect((await change({ 'if-match': '"3"' }, { version: 4 })).status).toBe(400);
	});
});

// ---- hostile input ----------------------------------------------------------------------------

/** Values that no field, name or number should be. */
const ODD: unknown[] = [
	null,
	'',
	0,
	-1,
	1e308,
	'1e400',
	'9'.repeat(400),
	'\u0000',
	'a\u0000b',
	'\ud800',
	'x'.repeat(5000),
	'0000-00-00',
	'9999999-01-01',
	'2026-02-31',
	'-5000-01-01',
	[],
	[[]],
	[null],
	{},
	{ a: { b: {} } },
	{ constructor: 1 },
	true,
	'__proto__',
	"'; drop table workspace; --",
	'%00',
	'../../etc/passwd'
];
const PATHS = [
	'customer',
	'nowhere',
	'%00',
	'%ED%A0%80',
	'constructor',
	'..%2f',
	'x'.repeat(3000),
	'0',
	'-1',
	'1e5',
	'99999999999999999999',
	'abc',
	'%F0%9F%8C%B1',
	'%'
];
const QUERIES = [
	'page=99999999999999999999',
	'page=-1',
	'page=1e300',
	'after=1:x&sort=headcount',
	'before=9999999999999999999',
	'view=1e9&list={}',
	'list={"where":{"expr":{"k":"bin","op":"<","a":null}}}',
	'list={"period":{"from":"0001-01-01","to":"999999999-12-31"},"columns":["<stage"]}',
	'version=abc',
	'version=99999999999',
	'id=abc',
	'id=99999999999999999999',
	'find=%00',
	'find=%ED%A0%80',
	'sort=nothing',
	'type=nothing',
	'type=constructor',
	'list=x',
	'field=constructor',
	'a=x&b=y',
	'before=abc',
	'from=0000-00-00&to=9999999-01-01',
	'from=2026-02-31',
	'sample=abc',
	'of=abc',
	'of=0',
	'days=abc',
	'change=abc',
	'status=x',
	'%',
	'='.repeat(2000)
];
/** A sound body for each line that takes one, to be spoiled. */
const BODIES: Record<string, Doc> = {
	'/api/v1/records/[type]': { values: { trading_name: 'X', headcount: '5' }, keep: ['headcount'] },
	'/api/v1/records/[type]/[id]': { values: { headcount: '5' }, keep: [], version: 1 },
	'/api/v1/batch': {
		allOrNothing: false,
		records: [{ type: 'customer', id: '1', values: { headcount: 5 } }]
	},
	'/api/v1/tables/[id]/rows': {
		rows: [{ country: 'poland', begins: '1', district: '1' }],
		remove: [{ country: 'poland', begins: '2' }],
		why: 'x',
		brings: false,
		edit: 1
	},
	'/api/v1/people': { name: 'X', email: 'x@quillmere.example', role: 'reader', person: null },
	'/api/v1/people/[id]': { name: 'X', role: 'reader', retired: true },
	'/jobs/[id]': { paused: true },
	'/look/known': { sought: [{ type: 'engineer', field: 'name', value: 'Fair desk' }] },
	'/look/keys': { type: 'customer', by: 'No.', text: '1' },
	'/save/[type]': { sent: [['headcount', '5']], version: 1, release: 3 },
	'/draft': { pieces: [{ path: ['rules', 'size_class', 'why'], before: 'a', after: 'b' }] },
	'/draft/model': {
		pieces: [{ path: ['types', 'customer', 'label'], before: 'a', after: 'b' }],
		lost: 0
	},
	'/draft/accepted': { finding: 'x', reason: 'y' },
	'/draft/here': { page: 'p', at: 'rules.size_class' },
	'/draft/kept/[id]': { revision: 1 },
	'/trials/[id]': {
		trial: {
			id: 'customer',
			name: 'X',
			type: 'customer',
			was: null,
			sent: [],
			entryPoint: 'full',
			expected: {}
		},
		had: null
	},
	'/lines': {
		step: 'leave',
		type: 'customer',
		field: 'size_class',
		is: 'open',
		ids: null,
		why: 'x'
	},
	'/tables/[id]/rows': {
		edits: [{ id: 'r_1', before: null, after: { country: 'poland', begins: '1' } }],
		why: 'x',
		brings: false,
		look: null
	},
	'/tables/[id]/rows/look': {
		edits: [{ id: 'r_1', before: null, after: { country: 'poland', begins: '1' } }]
	},
	'/tables/[id]/rows/[edit]': { brings: false },
	'/tables/[id]/editors': { add: ['1'], remove: [] },
	'/bulks': {
		type: 'deal',
		which: { list: {} },
		does: { k: 'set', field: 'amount', value: '5' },
		spare: true,
		messages: false
	},
	'/bulks/[id]': { step: 'look' },
	'/list-indexes': {
		indexes: [{ type: 'deal', field: 'amount', use: 'value' }],
		wanted: false
	},
	'/views': {
		type: 'deal',
		name: 'x',
		list: { where: null, columns: ['name'], period: { days: 3 } }
	},
	'/views/[id]': {
		version: 1,
		name: 'x',
		list: { setBy: [{ field: 'stage', by: 'rule', rule: null }] }
	},
	'/remarks': { kind: 'rule', key: 'size_class', title: 'x', text: 'y' },
	'/remarks/[id]': { settled: true },
	'/releases': { note: 'x', reasons: { trials: 'x' }, revision: 1 },
	'/pilots': {
		step: 'look',
		release: 1,
		choice: { chosen: [], brought: { accounts: null, roads: ['api'] } }
	},
	'/releases/[number]': { do: 'take as draft', revision: 1 },
	'/dmn': { xml: '<x/>', type: 'customer' },
	'/look/finds': { rule: { id: 'x' } },
	'/look/near': { needs: [{ type: 'customer', id: '1' }] },
	'/look/retype': { type: 'customer', field: 'headcount', pieces: [] },
	'/look/suggest': { type: 'nowhere', field: 'headcount', examples: [] },
	'/look/titles': { wanted: [{ type: 'customer', id: '1' }] }
};

/** Puts something odd in the place of one part of a document. */
function spoiled(doc: unknown, at: number, odd: unknown): unknown {
	let i = 0;
	const walk = (x: unknown): unknown => {
		if (i++ === at) return odd;
		if (Array.isArray(x)) return x.map(walk);
		if (typeof x === 'object' && x !== null)
			return Object.fromEntries(Object.entries(x).map(([k, v]) => [k, walk(v)]));
		return x;
	};
	return walk(doc);
}

/** Lines that are tried: not those that end the session that asks, take long by design or stream. */
const TRIED = Object.entries(ROUTES)
	.filter(
		([route]) =>
			![
				'/sign-out',
				'/draft/events',
				'/rehearsal',
				'/ready',
				'/api/v1/people/[id]/password',
				'/api/v1/people/[id]/sessions'
			].includes(route)
	)
	.flatMap(([route, doings]) => Object.keys(doings).map((key) => ({ route, key })));

/** What was answered otherwise than it should; null where it was in order. */
async function faultOf(
	line: { route: string; key: string },
	path: string,
	query: string,
	body: string | undefined
): Promise<string | null> {
	const [method, action = ''] = line.key.split(' ');
	const isApi = line.route.startsWith('/api/');
	const url = `${line.route.replace('/(app)', '').replace(/\[\[?\w+\]?\]/g, path) || '/'}?${[action.slice(1), query].filter(Boolean).join('&')}`;
	const form = method === 'POST' && /^\/(\(app\)|sign-in|first|password)/.test(line.route);
	const from = Date.now();
	const asked = (isApi ? api : page).ask(url, {
		method,
		...(method === 'GET' || body === undefined ? {} : { body }),
		headers: { 'content-type': form ? 'application/x-www-form-urlencoded' : 'application/json' }
	});
	const r = await asked.catch((e: Error) => e);
	if (r instanceof Error)
		return `no answer: ${method} ${url.slice(0, 200)} ${body ?? ''} ${String(r.cause)}`;
	const said = await r.text();
	const what = `${method} ${url.slice(0, 120)} ${body?.slice(0, 80) ?? ''}: ${r.status} ${said.slice(0, 160)}`;
	if (r.status >= 500) return what;
	if (isApi && r.status >= 400) {
		if (!r.headers.get('content-type')?.includes('json')) return `no JSON: ${what}`;
		if (typeof (JSON.parse(said) as Doc).message !== 'string') return `no message: ${what}`;
	}
	// words of the database are for the log
	if (/pg_|violates|relation "|syntax error at/.test(said) && r.status >= 400)
		return `leaks: ${what}`;
	return Date.now() - from > 20_000 ? `slow: ${what}` : null;
}

describe('whatever is sent', () => {
	it('in addresses gets a named error, never 500', async () => {
		const wrong: string[] = [];
		for (const line of TRIED) {
			const [method] = line.key.split(' ');
			const body = method === 'GET' ? undefined : 'null';
			if (line.route.includes('['))
				for (const p of PATHS) wrong.push((await faultOf(line, p, '', body)) ?? '');
			if (method === 'GET')
				for (const q of QUERIES) wrong.push((await faultOf(line, 'customer', q, undefined)) ?? '');
		}
		expect(wrong.filter(Boolean)).toEqual([]);
	}, 600_000);

	it('as a body gets a named error, never 500', async () => {
		const wrong: string[] = [];
		for (const line of TRIED) {
			if (line.key.startsWith('GET')) continue;
			const raw = [
				undefined,
				'',
				'[[[',
				'"',
				'[]',
				'{}',
				'7',
				'"\\ud800"',
				`${'['.repeat(900)}`,
				'a=1&a=2',
				'x=%00',
				'{"__proto__":1}'
			];
			for (const body of raw) wrong.push((await faultOf(line, 'customer', '', body)) ?? '');
		}
		expect(wrong.filter(Boolean)).toEqual([]);
	}, 600_000);

	it('within a sound body gets a named error, never 500 (seeded)', async () => {
		const wrong: string[] = [];
		// what is accepted is looked for by an analysis of its own each time: its bodies are tried above
		const lines = TRIED.filter(
			(l) => BODIES[l.route] && !l.key.startsWith('GET') && l.route !== '/draft/accepted'
		);
		await fc.assert(
			fc.asyncProperty(
				fc.constantFrom(...lines),
				fc.nat(12),
				fc.constantFrom(...ODD),
				fc.constantFrom('customer', '1', 'lead'),
				async (line, at, odd, path) => {
					const body = JSON.stringify(spoiled(BODIES[line.route], at, odd));
					const fault = await faultOf(line, path, 'id=1', body);
					if (fault) wrong.push(fault);
				}
			),
			{ numRuns: 1500, seed: 11 }
		);
		expect(wrong).toEqual([]);
	}, 600_000);

	it('as values of every field is taken or refused by name, never 500', async () => {
		const { model } = await import('../src/server/db/model').then((m) =>
			m.readModel(db(), t.workspace)
		);
		const wrong: string[] = [];
		for (const type of model.types)
			for (const f of type.fields) {
				const records = ODD.map((v) => ({ type: type.id, values: { [f.id]: v } }));
				const r = await api.ask('/api/v1/batch', {
					method: 'POST',
					json: {
						allOrNothing: false,
						records: records.filter((x) => !/\\u0000|\\ud800/.test(JSON.stringify(x)))
					}
				});
				if (r.status !== 200) wrong.push(`${type.id}.${f.id}: ${r.status} ${await r.text()}`);
				else await r.body?.cancel();
			}
		expect(wrong).toEqual([]);
	}, 300_000);
});
