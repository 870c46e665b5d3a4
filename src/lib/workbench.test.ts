/** The draft as the pages hold it: edits and undo, saving behind, the sample, findings and trials from workers. */
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { demoModel } from '../../demo/model';
import { demoDraft, demoReleases } from '../../demo/rules';
import { demoTrials } from '../../demo/trials';
import { analyse } from '../core/check/findings';
import { Schema } from '../core/model/model';
import type { Rule } from '../core/model/rules';
import { compilePlan } from '../core/plan/plan';
import { toJson } from '../core/model/codec';
import { zones } from '../runtime/zones';
import { Workbench, type Sample } from './workbench.svelte';

type Data = ConstructorParameters<typeof Workbench>[0];
const data = (more: object = {}) =>
	({
		account: { id: '1', name: 'Ida', email: '', role: 'author', person: '1' },
		model: demoModel,
		modelRevision: 1,
		draft: { set: demoDraft, versions: { size_class: 4 }, partVersions: {} },
		draftHash: 'h1',
		overruled: {},
		inForce: { number: 3, set: demoReleases[2].set },
		trials: demoTrials,
		rehearsal: null,
		...more
	}) as unknown as Data;

interface Call {
	path: string;
	method: string;
	body: unknown;
}
let calls: Call[];
let answer: (c: Call) => { status?: number; body?: unknown };
let w: Workbench;

/** Workers that are asked and answer only when told to. */
class IdleWorker {
	static all: IdleWorker[] = [];
	onmessage: ((e: { data: unknown }) => void) | null = null;
	jobs: { job: number; set: unknown }[] = [];
	ended = false;
	constructor(readonly url: URL) {
		IdleWorker.all.push(this);
	}
	postMessage(job: { job: number; set: unknown }) {
		this.jobs.push(job);
	}
	terminate() {
		this.ended = true;
	}
	static of(name: string) {
		return IdleWorker.all.find((x) => String(x.url).includes(name))!;
	}
}

beforeEach(() => {
	vi.useFakeTimers();
	calls = [];
	answer = () => ({});
	IdleWorker.all = [];
	vi.stubGlobal('window', globalThis);
	vi.stubGlobal('Worker', IdleWorker);
	vi.stubGlobal('fetch', (path: string, init: { method?: string; body?: string } = {}) => {
		const call = {
			path,
			method: init.method ?? 'GET',
			body: init.body ? JSON.parse(init.body) : undefined
		};
		calls.push(call);
		const { status = 200, body = {} } = answer(call);
		return Promise.resolve({
			ok: status < 400,
			status,
			json: () => Promise.resolve(body)
		});
	});
	w = new Workbench(data());
});
afterEach(() => {
	w.stop();
	vi.unstubAllGlobals();
	vi.useRealTimers();
});

const later = (ms = 1000) => vi.advanceTimersByTimeAsync(ms);
const size = () => w.rule('size_class')!;
const why = (text: string) => w.editRule('why', 'size_class', (r: Rule) => ({ ...r, why: text }));
const customer = (was: Sample['was'], more: Partial<Sample> = {}): Sample => ({
	type: 'customer',
	id: '1',
	title: 'One',
	was,
	links: {},
	sent: [],
	entryPoint: 'full',
	created: false,
	day: '2026-11-23',
	...more
});
const got = (field: string) => toJson(w.result!.values[w.schema.type('customer').at.get(field)!]);

describe('edits', () => {
	it('change the draft and all that follows from it, and are undone and done again', () => {
		expect(w.changes).toHaveLength(2);
		w.removeRule('urgency');
		expect(w.rule('urgency')).toBeUndefined();
		expect(w.changes.map((c) => `${c.id} ${c.what}`)).toContain('urgency removed');
		expect([...w.plan.claims.keys()].some((k) => k.startsWith('urgency:'))).toBe(false);
		expect(w.undoLabel).toBe('remove urgency');
		w.undo();
		expect(w.rule('urgency')).toBeDefined();
		expect(w.changes).toHaveLength(2);
		w.redo();
		expect(w.rule('urgency')).toBeUndefined();
		w.undo();
		expect(w.draft).toBe(demoDraft);
		w.undo();
		expect(w.draft).toBe(demoDraft);
	});
	it('in quick succession on one thing are one step; after a pause, or elsewhere, another', async () => {
		why('a');
		why('ab');
		w.undo();
		expect(size().why).toBe(demoDraft.rules.find((r) => r.id === 'size_class')!.why);
		w.redo();
		expect(size().why).toBe('ab');
		await later(2000);
		why('abc');
		w.undo();
		expect(size().why).toBe('ab');
		why('x');
		expect(w.redoLabel).toBeNull();
	});
	it('of a reader change nothing', () => {
		const reader = new Workbench(
			data({ account: { id: '3', name: 'M', email: '', role: 'reader', person: null } })
		);
		reader.removeRule('size_class');
		expect(reader.rule('size_class')).toBeDefined();
		reader.stop();
	});
	it('take a rule back to what is in force, or out where it is not', () => {
		why('Other.');
		w.revertRule('size_class');
		expect(size()).toBe(demoReleases[2].set.rules.find((r) => r.id === 'size_class'));
		w.revertRule('visits');
		expect(w.rule('visits')).toBeUndefined();
		w.removeRule('urgency');
		w.revertRule('urgency');
		expect(w.rule('urgency')).toBeDefined();
		expect(w.changes).toEqual([]);
	});
	it('put rules of a field into an order', () => {
		const names = () => w.rulesOf('customer', 'account_engineer').map((r) => r.id);
		const before = names();
		expect(before.length).toBeGreaterThan(1);
		w.place('customer', 'account_engineer', before[1], 0);
		expect(names()).toEqual([before[1], before[0], ...before.slice(2)]);
		w.place('customer', 'account_engineer', before[1], -1);
		w.place('customer', 'account_engineer', before[1], 99);
		w.place('customer', 'account_engineer', 'gone', 0);
		expect(names()[0]).toBe(before[1]);
		w.removeRule(before[1]);
		expect(
			Object.values(w.draft.order)
				.flat()
				.some((c) => c.startsWith(`${before[1]}:`))
		).toBe(false);
		expect(w.rulesOf('customer', '~messages').every((r) => r.body.kind === 'message')).toBe(true);
	});
	it('of definitions and tables replace one, add one, take one out', () => {
		const [d] = w.draft.definitions!;
		w.setDefinition('name', { ...d, name: 'Renamed' });
		expect(w.draft.definitions![0].name).toBe('Renamed');
		w.setDefinition('new', { ...d, id: 'fresh', name: 'Fresh' });
		expect(w.draft.definitions).toHaveLength(demoDraft.definitions!.length + 1);
		const [t] = w.draft.tables!;
		w.setTable('label', { ...t, label: 'Other' });
		expect(w.schema.tables.get(t.id)!.label).toBe('Other');
		w.removePart('table', t.id);
		w.removePart('definition', 'fresh');
		expect(w.schema.tables.has(t.id)).toBe(false);
		expect(w.draft.definitions).toHaveLength(demoDraft.definitions!.length);
	});
});

describe('saving', () => {
	const puts = () => calls.filter((c) => c.path.startsWith('/draft'));
	it('sends what differs, once it has come to rest, with the version that was seen', async () => {
		why('a');
		why('ab');
		expect(w.saving).toBe('waiting');
		expect(puts()).toEqual([]);
		answer = () => ({ body: { version: 5 } });
		await later();
		expect(puts()).toHaveLength(1);
		expect(puts()[0]).toMatchObject({ method: 'PUT', path: '/draft/rules/size_class' });
		expect(JSON.stringify(puts()[0].body)).toContain('"ab"');
		expect(JSON.stringify(puts()[0].body)).toContain('4');
		expect(w.saving).toBe('saved');
		w.removeRule('urgency');
		await later();
		expect(puts().at(-1)).toMatchObject({ method: 'DELETE' });
	});
	it('keeps edits while the server is away, and sends them again', async () => {
		const reach = globalThis.fetch;
		vi.stubGlobal('fetch', () => Promise.reject(new TypeError('away')));
		why('kept');
		await later();
		expect(w.saving).toBe('waiting');
		expect(w.trouble).toContain('cannot be reached');
		expect(size().why).toBe('kept');
		vi.stubGlobal('fetch', reach);
		await later(4000);
		expect(w.saving).toBe('saved');
		expect(w.trouble).toBeNull();
	});
	it('says when somebody else changed the rule, and when an edit is refused', async () => {
		answer = () => ({ status: 409, body: { message: 'Somebody else changed this rule.' } });
		why('mine');
		await later();
		expect([w.saving, w.trouble]).toEqual(['conflict', 'Somebody else changed this rule.']);
		w.load(data({ draftHash: 'h2' }));
		expect(w.saving).toBe('saved');
		answer = () => ({ status: 400, body: { message: 'name is too long' } });
		why('x');
		await later();
		expect([w.saving, w.trouble]).toEqual(['refused', 'name is too long']);
	});
	it('does not lose edits to a page that loads meanwhile', () => {
		why('mine');
		w.load(data({ draftHash: 'h2' }));
		expect(size().why).toBe('mine');
	});
});

describe('the sample', () => {
	it('is settled by the draft at every change, and back to what is stored is no change', () => {
		w.sample = customer({ headcount: '48', size_class: 'small' });
		expect(w.result!.changes).toEqual([]);
		w.touch('headcount', '60');
		expect(got('size_class')).toBe('medium');
		w.touch('headcount', '48');
		expect(w.sample.sent).toEqual([]);
		expect(w.result!.changes).toEqual([]);
		w.sample = customer({}, { id: null, created: true });
		w.touch('headcount', '9');
		expect(got('size_class')).toBe('micro');
	});
	it('runs on a rule as it last could be read, while that is half written', () => {
		w.sample = customer({ headcount: '48', size_class: 'small' });
		w.touch('headcount', '60');
		expect(got('size_class')).toBe('medium');
		w.editRule('input', 'size_class', (r) => ({
			...r,
			body: { ...r.body, input: { text: 'Headc +' } } as Rule['body']
		}));
		expect(w.plan.problems).toHaveLength(1);
		expect([...w.shown.stale]).toEqual(['size_class']);
		expect(got('size_class')).toBe('medium');
	});
	it('asks for linked records when a rule wants them, each once, and takes them in', async () => {
		answer = ({ path }) =>
			path === '/look/near'
				? {
						body: {
							records: [{ type: 'customer', id: '7', values: { size_class: 'large' } }],
							related: [],
							found: []
						}
					}
				: {};
		w.sample = { ...customer({}), type: 'deal', was: { kind: 'new_build', customer: '7' } };
		w.touch('kind', 'retrofit');
		void w.result;
		await later();
		const asked = calls.filter((c) => c.path === '/look/near');
		expect(JSON.stringify(asked[0].body)).toContain('"id":"7"');
		const limit = w.schema.type('deal').at.get('discount_limit_percent')!;
		expect(toJson(w.result!.values[limit])).toBe('7.5');
		const n = asked.length;
		w.touch('kind', 'new_build');
		w.touch('kind', 'retrofit');
		await later();
		expect(calls.filter((c) => c.path === '/look/near')).toHaveLength(n);
	});
});

describe('findings', () => {
	const checker = () => IdleWorker.of('findings');
	const tell = () => {
		const worker = checker();
		const { job } = worker.jobs.at(-1)!;
		const plan = compilePlan(new Schema(demoModel), w.draft);
		worker.onmessage!({ data: { job, checked: analyse(plan, w.draft, zones) } });
	};
	it('come from a worker; until it answers, none are told as none', () => {
		expect([w.analysed, w.checking]).toEqual([false, true]);
		tell();
		expect([w.analysed, w.checking]).toEqual([true, false]);
		expect(w.found.length).toBeGreaterThan(3);
	});
	it('that break off leave what was said before, and say so', () => {
		tell();
		const before = w.found;
		why('a');
		checker().onmessage!({ data: { job: checker().jobs.at(-1)!.job, checked: null } });
		expect([w.analysisFailed, w.checking]).toEqual([true, false]);
		expect(w.found).toBe(before);
		why('b');
		tell();
		expect(w.analysisFailed).toBe(false);
	});
	it('of edits made while it is at it are looked at together afterwards', () => {
		why('a');
		why('b');
		w.removeRule('urgency');
		expect(checker().jobs).toHaveLength(1);
		checker().onmessage!({
			data: { job: checker().jobs[0].job, checked: { findings: [], open: [] } }
		});
		expect([w.analysed, w.checking]).toEqual([false, true]);
		expect(checker().jobs).toHaveLength(2);
		expect(checker().jobs[1].set).toBe(w.draft);
		tell();
		expect(w.checking).toBe(false);
	});
	it('have an address, show their record, and go by their repair', () => {
		tell();
		const gap = w.found.find((f) => f.rule === 'visits')!;
		expect(w.placeOf(gap)).toBe(
			`/write/customer/service_visits_a_year?finding=${gap.id}#rule-visits`
		);
		w.showFinding(gap);
		expect(w.sample).toMatchObject({ type: 'customer', created: true, id: null });
		expect(w.sample!.sent).toEqual([['glass_area', '10000']]);
		expect(w.result!.reports.find((r) => r.rule === 'visits')!.outcome).toBe('no row');
		w.repair(gap.repair!);
		expect(w.result!.reports.find((r) => r.rule === 'visits')!.outcome).toBe('wrote');
		w.undo();
		expect(w.result!.reports.find((r) => r.rule === 'visits')!.outcome).toBe('no row');
		expect(w.placeOf({ ...gap, part: { kind: 'table', id: 't' } })).toBe('/tables/t');
	});
	it('that read linked records bring these along, and nothing else is taken for them', () => {
		w.showFinding({
			id: 'x',
			part: { kind: 'rule', id: 'discount_limit' },
			rule: 'discount_limit',
			type: 'deal',
			field: 'discount_limit_percent',
			place: 'input',
			severity: 'blocking',
			message: '',
			witness: { kind: 'new_build', customer: '900000000000000' },
			near: [{ type: 'customer', id: '900000000000000', values: { size_class: 'large' } }]
		});
		const limit = w.schema.type('deal').at.get('discount_limit_percent')!;
		expect(toJson(w.result!.values[limit])).toBe('10');
		expect(w.nearSample()).toHaveLength(1);
		expect(w.titles.all['customer.900000000000000']).toBe('a customer made up');
	});
});

describe('trials', () => {
	it('run in a worker, the newest run counts, and are run again at every edit', () => {
		w.runTrials();
		const worker = IdleWorker.of('trials');
		why('a');
		expect(worker.jobs).toHaveLength(2);
		const results = (held: boolean) => demoTrials.map((t) => ({ trial: t.id, held, lines: [] }));
		worker.onmessage!({ data: { job: worker.jobs[0].job, results: results(false) } });
		expect(w.trialsRunning).toBe(true);
		worker.onmessage!({ data: { job: worker.jobs[1].job, results: results(true) } });
		expect([w.trialsRunning, w.held]).toEqual([false, demoTrials.length]);
		w.stop();
		expect(worker.ended).toBe(true);
	});
	it('are kept and dropped; a refusal is told', async () => {
		const trial = { ...demoTrials[0], id: 'fresh', name: 'Fresh' };
		expect(await w.keepTrial(trial)).toBeNull();
		expect(w.trials).toHaveLength(demoTrials.length + 1);
		expect(await w.keepTrial({ ...trial, name: 'Again' })).toBeNull();
		expect(w.trials.at(-1)!.name).toBe('Again');
		await w.dropTrial('fresh');
		expect(w.trials).toHaveLength(demoTrials.length);
		answer = () => ({ status: 400, body: { message: 'name is missing' } });
		expect(await w.keepTrial(trial)).toBe('name is missing');
		expect(w.trials).toHaveLength(demoTrials.length);
		expect(calls.map((c) => c.method)).toEqual(
			expect.arrayContaining(['PUT', 'PUT', 'DELETE', 'PUT'])
		);
	});
});
