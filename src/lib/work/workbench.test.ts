/** The draft as the pages hold it: edits and undo, saving behind, the sample, findings and trials from workers. */
import fc from 'fast-check';
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { demoModel } from '../../../demo/model';
import { demoDraft, demoReleases } from '../../../demo/rules';
import { demoTrials } from '../../../demo/trials';
import type { Piece, Rule } from '../../core';
import { Schema, analyse, applied, compilePlan, partPoint, toJson } from '../../core';
import { zones } from '../../runtime/zones';
import type { Sent } from '../../workers/sent';
import { Received } from '../../workers/sent';
import { Workbench, type Sample } from './workbench.svelte';

type Data = ConstructorParameters<typeof Workbench>[0];
const data = (more: object = {}) =>
	({
		account: { id: '1', name: 'Ida', email: '', role: 'author', person: '1' },
		model: demoModel,
		modelRevision: 1,
		draft: { set: demoDraft, authors: {} },
		revision: 1,
		draftHash: 'h1',
		overruled: {},
		inForce: { number: 3, set: demoReleases[2].set },
		pilot: null,
		living: { number: 0, rows: {}, away: [] },
		trials: { count: 0, mark: '' },
		rehearsal: null,
		replay: null,
		remarks: [],
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
/** What answers wait for. */
let slow: Promise<void>;

/** Workers that are asked and answer only when told to. */
class IdleWorker {
	static all: IdleWorker[] = [];
	onmessage: ((e: { data: unknown }) => void) | null = null;
	onerror: ((e: { message: string }) => void) | null = null;
	jobs: { job: number; draft: Sent }[] = [];
	ended = false;
	constructor(
		_: URL,
		readonly options: { name: string }
	) {
		IdleWorker.all.push(this);
	}
	postMessage(job: { job: number; draft: Sent }) {
		this.jobs.push(job);
	}
	terminate() {
		this.ended = true;
	}
	static of(name: string) {
		return IdleWorker.all.find((x) => x.options.name === name)!;
	}
}

beforeEach(() => {
	vi.useFakeTimers();
	calls = [];
	answer = () => ({});
	slow = Promise.resolve();
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
		return slow.then(() => ({
			ok: status < 400,
			status,
			json: () => Promise.resolve(body)
		}));
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
		expect(w.history.undoLabel).toBe('remove urgency');
		w.undo();
		expect(w.rule('urgency')).toBeDefined();
		expect(w.changes).toHaveLength(2);
		w.redo();
		expect(w.rule('urgency')).toBeUndefined();
		w.undo();
		expect(w.draft).toEqual(demoDraft);
		w.undo();
		expect(w.draft).toEqual(demoDraft);
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
		expect(w.history.redoLabel).toBeNull();
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

describe('others at the same draft', () => {
	const here = (page: string, at: string | null, name = 'Jonas') =>
		w.others.hear({ kind: 'here', page, account: '2', name, at });
	it('are seen where they work, once each, until they leave', () => {
		here('p1', 'rules.size_class');
		here('p2', 'rules.size_class');
		here('p3', 'rules.size_class', 'Claire');
		expect(w.others.at('rules.size_class')).toEqual(['Jonas', 'Claire']);
		here('p3', 'rules.urgency', 'Claire');
		here('p1', null);
		expect(w.others.at('rules.size_class')).toEqual(['Jonas']);
		expect(w.others.at('rules.urgency')).toEqual(['Claire']);
	});
});

describe('the steps of a page', () => {
	const store = () => {
		const kept = new Map<string, string>();
		return {
			getItem: (k: string) => kept.get(k) ?? null,
			setItem: (k: string, v: string) => void kept.set(k, v)
		} as unknown as Storage;
	};
	it('are there again after it is loaded anew, and take back nothing of others', () => {
		const tab = store();
		why('mine');
		w.editRule('name', 'urgency', (r) => ({ ...r, name: 'Mine' }));
		w.history.keep(tab, 'ida 3');
		const stored = w.draft;
		w = new Workbench(data({ draft: { set: stored, authors: {} } }));
		w.load(data({ draft: { set: stored, authors: {} } }));
		w.history.takeUp(tab, 'jonas 3');
		expect(w.history.undoLabel).toBeNull();
		w.history.takeUp(tab, 'ida 3');
		expect(w.undo()).toContain('Undone');
		expect(w.rule('urgency')!.name).not.toBe('Mine');
		// somebody else wrote there since
		w.load(
			data({
				draft: {
					set: {
						...w.draft,
						rules: w.draft.rules.map((r) => (r.id === 'size_class' ? { ...r, why: 'theirs' } : r))
					},
					authors: {}
				}
			})
		);
		expect(w.undo()).toBeNull();
		expect(size().why).toBe('theirs');
	});
	it('are kept within bounds, the newest of them', () => {
		const tab = store();
		for (let i = 0; i < 40; i++) {
			vi.advanceTimersByTime(2000);
			why(`${i} ${'x'.repeat(60_000)}`);
		}
		w.history.keep(tab, 'ida 3');
		expect(tab.getItem('steps')!.length).toBeLessThan(1_000_000);
		w = new Workbench(data());
		w.history.takeUp(tab, 'ida 3');
		expect(w.history.undoLabel).toContain('why');
	});
});

describe('saving', () => {
	const sent = () => calls.filter((c) => c.path.startsWith('/draft'));
	const pieces = () =>
		sent().flatMap((c) => (c.body as { pieces: { path: string[]; after?: unknown }[] }).pieces);
	it('sends what an edit touched, once it has come to rest, and what it found there', async () => {
		why('a');
		why('ab');
		expect(w.saver.state).toBe('waiting');
		expect(sent()).toEqual([]);
		await later();
		expect(sent()).toHaveLength(1);
		expect(sent()[0]).toMatchObject({ method: 'PATCH', path: '/draft' });
		const { why: before } = demoDraft.rules.find((r) => r.id === 'size_class')!;
		expect(pieces()).toEqual([{ path: ['rules', 'size_class', 'why'], before, after: 'ab' }]);
		expect(w.saver.state).toBe('saved');
		w.removeRule('urgency');
		await later();
		expect(pieces().at(-1)).toMatchObject({ path: ['rules', 'urgency'] });
		expect(pieces().at(-1)!.after).toBeUndefined();
	});
	it('sends nothing of an edit that was taken back in time', async () => {
		why('a');
		w.undo();
		await later();
		expect(sent()).toEqual([]);
		expect(w.saver.state).toBe('saved');
	});
	it('keeps edits while the server is away, and sends them again', async () => {
		const reach = globalThis.fetch;
		vi.stubGlobal('fetch', () => Promise.reject(new TypeError('away')));
		why('kept');
		await later();
		expect(w.saver.state).toBe('waiting');
		expect(w.saver.trouble).toContain('cannot be reached');
		expect(size().why).toBe('kept');
		vi.stubGlobal('fetch', reach);
		await later(4000);
		expect(w.saver.state).toBe('saved');
		expect(w.saver.trouble).toBeNull();
	});
	it('says when somebody else changed the rule, and when an edit is refused', async () => {
		answer = () => ({ status: 409, body: { message: 'Ida changed “Size class” meanwhile.' } });
		why('mine');
		await later();
		expect([w.saver.state, w.saver.trouble]).toEqual([
			'conflict',
			'Ida changed “Size class” meanwhile.'
		]);
		answer = () => ({});
		w.load(theirs((r) => ({ ...r, why: 'theirs' })));
		expect(w.saver.state).toBe('saved');
		expect(size().why).toBe('theirs');
		expect(w.saver.trouble).toBeNull();
		expect(w.conflicts.all).toMatchObject([{ part: 'rules.size_class', name: `“${size().name}”` }]);
		w.conflicts.settle(w.conflicts.all[0], 'theirs');
		expect([size().why, w.conflicts.all]).toEqual(['theirs', []]);
		answer = () => ({ status: 400, body: { message: 'name is too long' } });
		why('x');
		await later();
		expect([w.saver.state, w.saver.trouble]).toEqual(['refused', 'name is too long']);
		w.load(theirs((r) => ({ ...r, why: 'theirs' })));
		expect([w.saver.state, w.saver.trouble, size().why]).toEqual(['saved', null, 'theirs']);
	});
	it('of two versions takes either, whole where somebody took the rule out; other edits go on', async () => {
		answer = () => ({ status: 409, body: { message: 'Ida changed “Size class” meanwhile.' } });
		why('mine');
		w.editRule('name', 'urgency', (r) => ({ ...r, name: 'Mine as well' }));
		await later();
		answer = () => ({ body: { revision: 3, was: 2 } });
		calls = [];
		w.load(theirs((r) => ({ ...r, why: 'theirs' })));
		await later();
		// the other rule was held up by nothing
		expect(pieces().map((p) => p.path.join('.'))).toEqual(['rules.urgency.name']);
		w.conflicts.settle(w.conflicts.all[0], 'mine');
		expect(size().why).toBe('mine');
		await later();
		expect(pieces().at(-1)).toMatchObject({ before: 'theirs', after: 'mine' });
		expect(w.undo()).toContain('Undone');
		expect(size().why).toBe('theirs');
		await later();
		answer = () => ({ status: 409, body: { message: 'gone' } });
		why('once more');
		await later();
		answer = () => ({ body: { revision: 4, was: 3 } });
		const { set } = data().draft;
		w.load(
			data({
				revision: w.revision + 1,
				draft: {
					set: { ...set, rules: set.rules.filter((r) => r.id !== 'size_class') },
					authors: {}
				}
			})
		);
		expect(size()).toBeUndefined();
		w.conflicts.settle(w.conflicts.all[0], 'mine');
		expect(size().why).toBe('once more');
	});
	it('loads what others stored before a step of its own, and what it hears of', async () => {
		const reload = vi.fn(() => Promise.resolve());
		w.reload = reload;
		answer = () => ({ body: { revision: 2, was: 1 } });
		why('a');
		await later();
		expect([w.revision, reload.mock.calls.length]).toEqual([2, 0]);
		// its own step, heard of before or after its answer, is nothing new
		w.others.hear({ kind: 'changed', revision: 2, account: '1', name: 'Ida' });
		await later();
		expect(reload).not.toHaveBeenCalled();
		answer = () => ({ body: { revision: 5, was: 4 } });
		why('b');
		await later();
		expect([w.revision, reload.mock.calls.length]).toEqual([2, 1]);
		w.load(data({ revision: 5 }));
		expect(w.revision).toBe(5);
		w.others.hear({ kind: 'changed', revision: 6, account: '2', name: 'Jonas' });
		await later();
		expect(reload.mock.calls.length).toBe(2);
	});
	it('does not take what was read before its own step was stored: it asks for it anew', async () => {
		const reload = vi.fn(() => Promise.resolve());
		w.reload = reload;
		answer = () => ({ body: { revision: 2, was: 1 } });
		why('stored');
		await later();
		// read between two steps, and come after the answer to the second
		w.load(data({ revision: 1 }));
		expect([size().why, w.revision, reload.mock.calls.length]).toEqual(['stored', 2, 1]);
		w.load(theirs((r) => ({ ...r, why: 'stored', name: 'Theirs' })));
		expect(size()).toMatchObject({ why: 'stored', name: 'Theirs' });
		// a server that was put back to an earlier backup is believed after a while
		for (let i = 0; i < 10; i++) w.load(data({ revision: 1 }));
		expect([size().why, w.revision]).toEqual([
			demoDraft.rules.find((r) => r.id === 'size_class')!.why,
			1
		]);
	});
	it('does not take what was read before its own step either where somebody else was before that step', async () => {
		const reload = vi.fn(() => Promise.resolve());
		w.reload = reload;
		answer = () => ({ body: { revision: 3, was: 2 } });
		why('mine');
		await later();
		expect(reload).toHaveBeenCalledTimes(1);
		// read after the step of another and before its own
		w.load({ ...theirs((r) => ({ ...r, name: 'Theirs' })), revision: 2 });
		expect([size().why, w.conflicts.all]).toEqual(['mine', []]);
		expect(reload).toHaveBeenCalledTimes(2);
		w.load({ ...theirs((r) => ({ ...r, why: 'mine', name: 'Theirs' })), revision: 3 });
		expect([size().why, size().name, w.revision]).toEqual(['mine', 'Theirs', 3]);
	});
	it('hears of several steps in a moment and loads the newest, though a load between brought the first', async () => {
		const reload = vi.fn(() => Promise.resolve());
		w.reload = reload;
		for (const revision of [2, 4, 3])
			w.others.hear({ kind: 'changed', revision, account: '2', name: 'Jonas' });
		w.load(data({ revision: 2 }));
		await later();
		expect(reload).toHaveBeenCalledTimes(1);
		w.load(data({ revision: 4 }));
		await later();
		expect(reload).toHaveBeenCalledTimes(1);
	});
	it('whatever is late or overtakes: what it wrote stays, and both pages end with what is stored', async () => {
		const act = fc.oneof(
			fc.record({ do: fc.constant('mine' as const), wait: fc.nat(600) }),
			fc.record({ do: fc.constant('theirs' as const), wait: fc.nat(600) }),
			fc.record({ do: fc.constant('load' as const), wait: fc.nat(600) })
		);
		const times = fc.array(fc.nat(900), { minLength: 4, maxLength: 12 });
		await fc.assert(
			fc.asyncProperty(
				fc.array(act, { minLength: 3, maxLength: 14 }),
				times,
				async (acts, late) => {
					let [k, n] = [0, 0];
					const wait = () => new Promise<void>((r) => setTimeout(r, late[k++ % late.length]));
					/** A server of one draft, whose answers take their time on either way. */
					let [set, revision] = [demoDraft, 1];
					const store = (change: (s: typeof set) => typeof set) => (
						(set = change(set)),
						++revision
					);
					vi.stubGlobal('fetch', async (path: string, init: { body?: string } = {}) => {
						await wait();
						let body: object = {};
						if (path === '/draft') {
							const { pieces } = JSON.parse(init.body!) as { pieces: Piece[] };
							const was = revision;
							body = { was, revision: store((s) => applied(s, pieces).set) };
							// as the server tells all open pages
							void wait().then(() =>
								page.others.hear({ kind: 'changed', revision: was + 1, account: '1', name: 'Ida' })
							);
						}
						await wait();
						return { ok: true, status: 200, json: () => Promise.resolve(body) };
					});
					const page = new Workbench(data());
					page.reload = async () => {
						await wait();
						const read = data({ draft: { set, authors: {} }, revision, draftHash: `h${revision}` });
						await wait();
						page.load(read);
					};
					const mine = () => page.rule('size_class')!.why;
					let wrote = mine();
					for (const a of acts) {
						if (a.do === 'mine') {
							wrote = `mine ${++n}`;
							page.editRule('why', 'size_class', (r: Rule) => ({ ...r, why: wrote }));
						} else if (a.do === 'theirs') {
							const now = store((s) => ({
								...s,
								rules: s.rules.map((r) => (r.id === 'urgency' ? { ...r, why: `theirs ${++n}` } : r))
							}));
							void wait().then(() =>
								page.others.hear({ kind: 'changed', revision: now, account: '2', name: 'Jonas' })
							);
						} else void page.reload();
						for (let ms = 0; ms < a.wait; ms += 50) {
							await later(50);
							expect(mine()).toBe(wrote);
						}
					}
					await later(30_000);
					expect(page.conflicts.all).toEqual([]);
					expect(page.saver.state).toBe('saved');
					expect(mine()).toBe(wrote);
					expect(page.draft).toEqual(set);
					page.stop();
				}
			),
			{ numRuns: 150 }
		);
	}, 60_000);
	it('does not load anew for a step of its own that is still under way', async () => {
		const reload = vi.fn(() => Promise.resolve());
		w.reload = reload;
		let done: () => void = () => undefined;
		const answered = new Promise<void>((r) => (done = r));
		slow = answered;
		answer = () => ({ body: { revision: 2, was: 1 } });
		why('mine');
		await vi.advanceTimersByTimeAsync(400);
		w.others.hear({ kind: 'changed', revision: 2, account: '1', name: 'Ida' });
		await vi.advanceTimersByTimeAsync(3_000);
		expect(reload).not.toHaveBeenCalled();
		done();
		await later();
		expect([w.revision, reload.mock.calls.length]).toEqual([2, 0]);
	});
	it('of an edit that is refused goes on with the next one', async () => {
		answer = () => ({ status: 400, body: { message: 'name is too long' } });
		why('x');
		await later();
		answer = () => ({});
		why('short');
		await later();
		expect(w.saver.state).toBe('saved');
		expect(pieces().at(-1)).toMatchObject({ after: 'short' });
	});
	it('does not lose edits to a page that loads meanwhile, and takes what others did', async () => {
		why('mine');
		w.load(theirs((r) => ({ ...r, name: 'Theirs' })));
		expect(size()).toMatchObject({ why: 'mine', name: 'Theirs' });
		await later();
		expect(pieces().map((p) => p.path.at(-1))).toEqual(['why']);
		expect(w.saver.state).toBe('saved');
	});
});

/** The server's draft after somebody else changed the size class, or put in a rule of theirs. */
const theirs = (change: (r: Rule) => Rule, more: Rule[] = []) =>
	data({
		// somebody else's step comes after all that this page knows
		revision: w.revision + 1,
		draftHash: 'h2',
		draft: {
			set: {
				...demoDraft,
				rules: [
					...structuredClone(demoDraft.rules).map((r) => (r.id === 'size_class' ? change(r) : r)),
					...more
				]
			},
			authors: { 'rules.size_class': 'Ida' }
		}
	});

describe('two authors', () => {
	it('undo takes back what I did and leaves the rule that a colleague wrote meanwhile', async () => {
		why('mine');
		await later();
		const rule: Rule = { ...size(), id: 'colleague', name: 'A colleague’s', outputs: [] };
		w.load(theirs((r) => ({ ...r, why: 'mine' }), [rule]));
		expect(w.rule('colleague')).toBeDefined();
		w.undo();
		expect(w.rule('colleague')).toBeDefined();
		expect(size().why).toBe(demoDraft.rules.find((r) => r.id === 'size_class')!.why);
		expect(w.notice).toBeNull();
	});
	it('what a colleague changed since is left, said with their name, and the step before is offered', async () => {
		w.editRule('name', 'size_class', (r) => ({ ...r, name: 'First' }));
		await later(2000);
		why('mine');
		await later();
		w.load(theirs((r) => ({ ...r, name: 'First', why: 'Ida’s' })));
		w.undo();
		expect(size().why).toBe('Ida’s');
		expect(w.notice).toBe('Ida changed “First” since; that step was left as it is.');
		expect(w.history.undoLabel).toBe('name size_class');
		w.undo();
		expect(size()).toMatchObject({
			name: demoDraft.rules.find((r) => r.id === 'size_class')!.name
		});
		expect(w.notice).toBeNull();
	});
	it('a release ends what can be taken back', () => {
		why('mine');
		w.load(data({ inForce: { number: 4, set: demoDraft } }));
		expect(w.history.undoLabel).toBeNull();
	});
	it('what is loaded and did not change stays the very same, and is not compiled again', () => {
		const before = w.draft.rules;
		w.load(theirs((r) => ({ ...r, name: 'Theirs' })));
		w.draft.rules.forEach((r, i) =>
			r.id === 'size_class' ? expect(r).not.toBe(before[i]) : expect(r).toBe(before[i])
		);
	});
});

describe('where a page is only rendered', () => {
	it('no rule is compiled and none runs on the sample, whatever the draft holds', () => {
		const rendered = new Workbench(data(), false);
		rendered.sample = customer({ headcount: '48', size_class: 'small' });
		expect(rendered.result).toBe(null);
		expect(rendered.plan.claims.size).toBe(0);
		expect(rendered.draft).toEqual(demoDraft);
		expect(w.plan.claims.size).toBeGreaterThan(20);
		rendered.stop();
	});
	it('a page begins with the very draft that the server holds', () => {
		expect(w.draft).toBe(demoDraft);
		expect(w.saver.state).toBe('saved');
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

describe('records that rules read', () => {
	const need = (id: number) => ({ type: 'customer', id: String(id) });
	const asked = () =>
		calls
			.filter((c) => c.path === '/look/near')
			.map((c) => (c.body as { needs: { id: string }[] }).needs.length);
	const bring = ({ path, body }: Call) =>
		path === '/look/near'
			? {
					body: {
						records: (body as { needs: { type: string; id: string }[] }).needs.map((n) => ({
							...n,
							values: { size_class: 'large' }
						}))
					}
				}
			: {};

	it.each([999, 1000, 1001, 2500])('are all fetched, some at a time: %i', async (n) => {
		answer = bring;
		w.near.want(Array.from({ length: n }, (_, i) => need(i)));
		await later();
		expect(asked().reduce((a, b) => a + b)).toBe(n);
		expect(Math.max(...asked())).toBeLessThanOrEqual(1000);
		for (const i of [0, n - 1])
			expect(w.near.loader.record('customer', String(i))).not.toBeUndefined();
	});
	it('are asked for again by themselves when that failed, and what is missing is told meanwhile', async () => {
		answer = () => ({ status: 503, body: { message: 'Busy.' } });
		w.near.want([need(1)]);
		await later(0);
		expect(w.near.trouble).toBe('Busy.');
		expect(w.near.loader.record('customer', '1')).toBeUndefined();
		await later(1000);
		expect(asked()).toHaveLength(2);
		answer = bring;
		await later(2000);
		expect(w.near.trouble).toBeNull();
		expect(w.near.loader.record('customer', '1')).toBeTruthy();
	});
	it('that the server calls wrong are not asked for for ever', async () => {
		answer = () => ({ status: 400, body: { message: 'needs[0].id is wrong.' } });
		w.near.want([need(1)]);
		await later(60_000);
		expect(asked()).toHaveLength(1);
		expect(w.near.trouble).toBe('needs[0].id is wrong.');
	});
	it('that come after they were forgotten count no more, and are asked for anew', async () => {
		answer = bring;
		w.near.want([need(1)]);
		w.near.forget();
		await later();
		expect(w.near.loader.record('customer', '1')).toBeUndefined();
		w.near.want([need(1)]);
		await later();
		expect(w.near.loader.record('customer', '1')).toBeTruthy();
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
		expect([w.analysis.analysed, w.analysis.checking]).toEqual([false, true]);
		tell();
		expect([w.analysis.analysed, w.analysis.checking]).toEqual([true, false]);
		expect(w.found.map((f) => f.is)).toEqual(
			expect.arrayContaining(['gap between bands', 'missing row'])
		);
	});
	it('that break off leave what was said before, and say so', () => {
		tell();
		const before = w.found;
		why('a');
		checker().onmessage!({ data: { job: checker().jobs.at(-1)!.job, checked: null } });
		expect([w.analysis.failed, w.analysis.checking]).toEqual([true, false]);
		expect(w.found).toEqual(before);
		why('b');
		tell();
		expect(w.analysis.failed).toBe(false);
	});
	it('of edits made while it is at it are looked at together afterwards', () => {
		why('a');
		why('b');
		w.removeRule('urgency');
		expect(checker().jobs).toHaveLength(1);
		checker().onmessage!({
			data: { job: checker().jobs[0].job, checked: { findings: [], open: [] } }
		});
		expect([w.analysis.analysed, w.analysis.checking]).toEqual([false, true]);
		expect(checker().jobs).toHaveLength(2);
		const there = new Received();
		expect(
			checker()
				.jobs.map(({ draft }) => there.take(draft).set)
				.at(-1)
		).toEqual(w.draft);
		tell();
		expect(w.analysis.checking).toBe(false);
	});
	it('that were told of an edit before are shown, where the worker has nothing else to tell', () => {
		const open = [{ rule: 'urgency', text: 'too many' }];
		why('a');
		why('b');
		checker().onmessage!({
			data: { job: checker().jobs[0].job, checked: { findings: [], open } }
		});
		// the newest edit comes to the same: the worker does not say it again
		checker().onmessage!({ data: { job: checker().jobs[1].job } });
		expect(w.analysis.checked.open).toEqual(open);
		expect([w.analysis.analysed, w.analysis.checking, w.analysis.failed]).toEqual([
			true,
			false,
			false
		]);
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
			is: 'unmapped option',
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
	const TRIALS = { count: demoTrials.length, mark: 'm' };
	const fetched = () => calls.filter((c) => c.path === '/trials').length;
	beforeEach(async () => {
		answer = ({ path }) =>
			path === '/trials' ? { body: { mark: 'm', trials: demoTrials } } : { body: {} };
		IdleWorker.all = [];
		w = new Workbench(data({ trials: TRIALS }));
		w.trials.run();
		await later();
	});
	it('are fetched beside the page; until they are here only their number is known, and nothing is analysed', async () => {
		IdleWorker.all = [];
		w = new Workbench(data({ trials: TRIALS }));
		expect([w.trials.known, w.trials.count]).toEqual([false, demoTrials.length]);
		expect(IdleWorker.of('findings').jobs).toHaveLength(0);
		// one that is kept meanwhile is not all there are
		await w.trials.keep({ ...demoTrials[0], id: 'early' });
		expect(w.trials.known).toBe(false);
		await later();
		expect([w.trials.known, w.trials.all, w.analysis.checking]).toEqual([true, demoTrials, true]);
		expect(IdleWorker.of('findings').jobs).toHaveLength(1);
	});
	it('are fetched again only where somebody else changed them', async () => {
		const before = fetched();
		w.load(data({ trials: TRIALS }));
		await later();
		expect(fetched()).toBe(before);
		const others = demoTrials.slice(1);
		answer = () => ({ body: { mark: 'n', trials: others } });
		w.load(data({ trials: { count: others.length, mark: 'n' } }));
		await later();
		expect([fetched(), w.trials.all]).toEqual([before + 1, others]);
	});
	it('that were read before one was kept here do not take it off the page', async () => {
		const fresh = { ...demoTrials[0], id: 'fresh' };
		let there = demoTrials.slice(1);
		let done: () => void = () => undefined;
		const reading = new Promise<void>((r) => (done = r));
		answer = () => ({ body: { mark: 'n', trials: there } });
		slow = reading;
		w.load(data({ trials: { count: there.length, mark: 'n' } }));
		await later(10);
		// the step is stored and answered while what was read before it is still on its way
		slow = Promise.resolve();
		answer = ({ method }) =>
			method === 'GET' ? { body: { mark: 'o', trials: there } } : { body: { revision: 2, was: 1 } };
		expect(await w.trials.keep(fresh)).toBeNull();
		there = [...there, fresh];
		done();
		await later();
		expect(w.trials.all).toEqual(there);
	});
	it('that cannot be fetched are asked for again by themselves, and with the next edit', async () => {
		answer = () => ({ status: 503, body: { message: 'away', again: 2 } });
		w = new Workbench(data({ trials: TRIALS }));
		w.trials.run();
		await later();
		expect([w.trials.known, w.trials.count]).toEqual([false, demoTrials.length]);
		answer = ({ path }) =>
			path === '/trials' ? { body: { mark: 'm', trials: demoTrials } } : { body: {} };
		await later(2_500);
		expect(w.trials.known).toBe(true);
		answer = () => ({ status: 503, body: { message: 'away', again: 2 } });
		w = new Workbench(data({ trials: TRIALS }));
		w.trials.run();
		await later();
		answer = ({ path }) =>
			path === '/trials' ? { body: { mark: 'm', trials: demoTrials } } : { body: {} };
		why('a');
		await later();
		expect(w.trials.known).toBe(true);
	});
	it('run in a worker, the newest run counts, and are run again at every edit', () => {
		const worker = IdleWorker.of('trials');
		why('a');
		why('b');
		expect(worker.jobs).toHaveLength(1);
		const results = (held: boolean) => demoTrials.map((t) => ({ trial: t.id, held, lines: [] }));
		worker.onmessage!({ data: { job: worker.jobs[0].job, results: results(false) } });
		expect([w.trials.running, w.trials.held, worker.jobs.length]).toEqual([true, 0, 2]);
		// what came out as before is not told again
		worker.onmessage!({ data: { job: worker.jobs[1].job, results: results(true).slice(1) } });
		expect([w.trials.running, w.trials.held]).toEqual([false, demoTrials.length - 1]);
		why('c');
		expect(worker.jobs).toHaveLength(3);
		worker.onmessage!({ data: { job: worker.jobs[2].job, results: results(true).slice(0, 1) } });
		expect([w.trials.running, w.trials.held]).toEqual([false, demoTrials.length]);
		w.stop();
		expect(worker.ended).toBe(true);
	});
	it('are kept and dropped; a refusal is told', async () => {
		const trial = { ...demoTrials[0], id: 'fresh', name: 'Fresh' };
		expect(await w.trials.keep(trial)).toBeNull();
		expect(w.trials.all).toHaveLength(demoTrials.length + 1);
		expect(await w.trials.keep({ ...trial, name: 'Again' })).toBeNull();
		expect(w.trials.all.at(-1)!.name).toBe('Again');
		await w.trials.drop(w.trials.all.at(-1)!);
		expect(w.trials.all).toHaveLength(demoTrials.length);
		answer = () => ({ status: 400, body: { message: 'name is missing' } });
		expect(await w.trials.keep(trial)).toBe('name is missing');
		expect(w.trials.all).toHaveLength(demoTrials.length);
		expect(calls.map((c) => c.method)).toEqual(
			expect.arrayContaining(['PUT', 'PUT', 'DELETE', 'PUT'])
		);
	});
});

describe('the worker of trials', () => {
	beforeEach(async () => {
		answer = ({ path }) =>
			path === '/trials' ? { body: { mark: 'm', trials: demoTrials } } : { body: {} };
		IdleWorker.all = [];
		w = new Workbench(data({ trials: { count: demoTrials.length, mark: 'm' } }));
		w.trials.run();
		await later();
	});
	it('that dies is told, leaves every outcome unknown, and is started again', () => {
		const first = IdleWorker.of('trials');
		const results = demoTrials.map((t) => ({ trial: t.id, held: true, lines: [] }));
		first.onmessage!({ data: { job: first.jobs[0].job, results } });
		expect(w.trials.held).toBe(demoTrials.length);
		first.onerror!({ message: 'out of memory' });
		expect([w.trials.trouble, w.trials.held, w.trials.running]).toEqual([
			'out of memory',
			0,
			false
		]);
		expect(first.ended).toBe(true);
		why('a');
		const second = IdleWorker.all.filter((x) => x.options.name === 'trials').at(-1)!;
		expect(second).not.toBe(first);
		// the new one knows nothing: it is sent all of it
		expect(second.jobs[0]).toMatchObject({ trials: demoTrials });
		second.onmessage!({ data: { job: second.jobs[0].job, results } });
		expect([w.trials.trouble, w.trials.held]).toEqual([null, demoTrials.length]);
	});
	it('gets several that are kept in one step, without what the page wraps them in', async () => {
		answer = () => ({ body: { revision: 9, was: 8 } });
		const more = [
			{ ...demoTrials[0], id: 'x1' },
			{ ...demoTrials[0], name: 'In its place' }
		];
		expect(await w.trials.keepAll(more)).toBeNull();
		expect(calls.at(-1)).toMatchObject({ path: '/trials', method: 'POST', body: more });
		expect(w.trials.all).toHaveLength(demoTrials.length + 1);
		expect(w.trials.all[0].name).toBe('In its place');
		answer = () => ({ status: 400, body: { message: '[1] name is missing' } });
		expect(await w.trials.keepAll(more)).toBe('[1] name is missing');
	});
});

describe('what is tried', () => {
	const TRIED = { rule: 'size_class', points: 3, tried: [['size_class|part 1', ['t1', 't2']]] };
	const worker = () => IdleWorker.all.filter((x) => x.options.name === 'cover').at(-1)!;
	const said = (rules: unknown[]) => {
		const at = worker();
		at.onmessage!({ data: { job: at.jobs.at(-1)!.job, is: 'cover', rules } });
	};
	let enough: () => void;
	beforeEach(async () => {
		answer = ({ path }) =>
			path === '/trials' ? { body: { mark: 'm', trials: demoTrials } } : { body: {} };
		IdleWorker.all = [];
		w = new Workbench(data({ trials: { count: demoTrials.length, mark: 'm' } }));
		enough = w.covering.want();
		w.trials.run();
		await later(1_000);
	});
	it('is looked at once the trials are there, for whoever shows it; what is known says when it is of before', async () => {
		expect(w.covering.known).toBe(false);
		said([TRIED]);
		await later();
		expect([w.covering.known, w.covering.tried, w.covering.points]).toEqual([true, 1, 3]);
		expect(w.covering.triedBy(partPoint('size_class', '1'))).toBe(2);
		expect(w.covering.triedBy(partPoint('size_class', '2'))).toBeUndefined();
		const jobs = worker().jobs.length;
		why('a');
		expect(w.covering.old).toBe(true);
		await later(1_000);
		expect(worker().jobs).toHaveLength(jobs + 1);
		said([{ ...TRIED, tried: [] }]);
		await later();
		expect([w.covering.old, w.covering.tried]).toEqual([false, 0]);
		// nobody shows it any more
		enough();
		why('b');
		await later(1_000);
		expect(worker().jobs).toHaveLength(jobs + 1);
	});
	it('an answer that an edit overtook is not taken', async () => {
		const early = worker().jobs.at(-1)!.job;
		why('a');
		await later(1_000);
		worker().onmessage!({ data: { job: early, is: 'cover', rules: [TRIED] } });
		await later();
		expect(w.covering.known).toBe(false);
	});
	it('a worker that dies is told, and whoever waits goes on; the next question starts another', async () => {
		const asked = w.covering.propose('size_class');
		const first = worker();
		first.onerror!({ message: 'gone' });
		expect(await asked).toBeNull();
		expect(w.covering.trouble).toBe('gone');
		const again = w.covering.propose('size_class');
		expect(worker()).not.toBe(first);
		const { job } = worker().jobs.at(-1)!;
		worker().onmessage!({ data: { job, is: 'propose', rule: 'size_class', proposals: [] } });
		expect([await again, w.covering.trouble]).toEqual([[], null]);
	});
	it('strength goes rule by rule, stops where it is stopped, and is old after an edit', async () => {
		const ask = () => worker().jobs.at(-1)! as unknown as { job: number; ask: { rule: string } };
		const tell = () => {
			const { job, ask: asked } = ask();
			const notices = [
				{ key: `${asked.rule} 0`, rule: asked.rule, slip: 'switched off', tried: 0 }
			];
			worker().onmessage!({ data: { job, is: 'strength', rule: asked.rule, notices } });
		};
		const run = w.covering.strength(['a', 'b', 'c']);
		tell();
		await later();
		expect([w.covering.left, w.covering.notices.size, ask().ask.rule]).toEqual([2, 1, 'b']);
		w.covering.cancel();
		tell();
		await run;
		expect([w.covering.left, [...w.covering.notices.keys()]]).toEqual([null, ['a']]);
		why('a');
		expect(w.covering.noticesOld).toBe(true);
	});
});
