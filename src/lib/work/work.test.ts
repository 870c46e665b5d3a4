/** The parts of the workbench by themselves: calls to the server, steps, saving. */
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { demoModel } from '../../../demo/model';
import { demoDraft } from '../../../demo/rules';
import type { RuleSet } from '$core';
import { History } from './history.svelte';
import { Refused, ask } from './http';
import { Saver } from './saving.svelte';

const why = (set: RuleSet, text: string, id = 'size_class'): RuleSet => ({
	...set,
	rules: set.rules.map((r) => (r.id === id ? { ...r, why: text } : r))
});
const whyOf = (set: RuleSet, id = 'size_class') => set.rules.find((r) => r.id === id)!.why;
const answers = (status: number, body: unknown) =>
	vi.stubGlobal('fetch', () =>
		Promise.resolve({ ok: status < 400, status, json: () => Promise.resolve(body) })
	);
afterEach(() => {
	vi.unstubAllGlobals();
	vi.useRealTimers();
});

describe('a call to the server', () => {
	it('gives its JSON; sends a body as JSON, and none where there is none', async () => {
		const sent: RequestInit[] = [];
		vi.stubGlobal('fetch', (_: string, init: RequestInit) => {
			sent.push(init);
			return Promise.resolve({ ok: true, status: 200, json: () => Promise.resolve({ a: 1 }) });
		});
		expect(await ask('/x')).toEqual({ a: 1 });
		expect(await ask('/x', { method: 'PUT', body: { b: 2 } })).toEqual({ a: 1 });
		expect(sent[0]).toMatchObject({ method: 'GET' });
		expect(sent[0].body).toBeUndefined();
		expect(sent[1]).toMatchObject({ method: 'PUT', body: '{"b":2}' });
	});
	it('that is refused says so in the words of the server, with all that it answers', async () => {
		answers(422, { message: 'Not so.', faults: [1] });
		const e = await ask('/x').catch((x: unknown) => x as Refused);
		expect(e).toBeInstanceOf(Refused);
		expect(e).toMatchObject({ message: 'Not so.', status: 422, unreachable: false });
		expect((e as Refused).answer).toMatchObject({ faults: [1] });
	});
	it.each([
		['a page instead of JSON', () => Promise.reject(new SyntaxError('<'))],
		['nothing', () => Promise.resolve(null)],
		['a message that is no text', () => Promise.resolve({ message: { x: 1 } })]
	])('that is refused with %s still has words', async (_, json) => {
		vi.stubGlobal('fetch', () => Promise.resolve({ ok: false, status: 500, json }));
		await expect(ask('/x')).rejects.toThrow('The server refused this.');
	});
	it('without a network says that the server cannot be reached; one that was stopped says so', async () => {
		vi.stubGlobal('fetch', () => Promise.reject(new TypeError('away')));
		await expect(ask('/x')).rejects.toMatchObject({ unreachable: true });
		const stopper = new AbortController();
		stopper.abort();
		vi.stubGlobal('fetch', () => Promise.reject(new DOMException('stopped', 'AbortError')));
		await expect(ask('/x', { signal: stopper.signal })).rejects.toMatchObject({
			name: 'AbortError'
		});
	});
});

const at = (set: RuleSet) => ({ set, model: demoModel });

describe('steps', () => {
	it('join while one thing is typed, and not across a pause, another thing or a load', () => {
		const h = new History();
		const states = ['a', 'ab', 'abc', 'x'].map((t) => why(demoDraft, t));
		h.note('why', demoDraft, states[0], 0);
		h.note('why', states[0], states[1], 1000);
		h.note('why', states[1], states[2], 2100);
		expect(h.undo(at(states[2]))!.set).toEqual(demoDraft);
		h.note('why', demoDraft, states[0], 10_000);
		h.close();
		h.note('why', states[0], states[3], 10_100);
		const once = h.undo(at(states[3]))!;
		expect(whyOf(once.set)).toBe('a');
		expect(whyOf(h.undo(at(once.set))!.set)).toBe(whyOf(demoDraft));
	});
	it('are one for one drag, however slow, and another for the next', () => {
		const h = new History();
		const states = ['a', 'ab', 'abc', 'x'].map((t) => why(demoDraft, t));
		h.hold(true);
		h.note('limit', demoDraft, states[0], 0);
		h.note('limit', states[0], states[1], 5000);
		h.hold(false);
		h.hold(true);
		h.note('limit', states[1], states[2], 10_000);
		h.hold(false);
		h.note('limit', states[2], states[3], 15_000);
		const back = [states[2], states[1], demoDraft];
		let set = states[3];
		for (const to of back) {
			set = h.undo(at(set))!.set;
			expect(whyOf(set)).toBe(whyOf(to));
		}
		expect(h.undoLabel).toBeNull();
	});
	it('that cannot be taken back are gone, and the one before is next', () => {
		const h = new History();
		const one = why(demoDraft, 'one', 'urgency');
		const two = why(one, 'two');
		h.note('a', demoDraft, one, 0);
		h.note('b', one, two, 5000);
		const theirs = why(two, 'theirs');
		const refused = h.undo(at(theirs))!;
		expect(refused.refused).toHaveLength(1);
		expect(refused.set).toBe(theirs);
		expect(h.undoLabel).toBe('a');
		expect(h.redoLabel).toBeNull();
		expect(whyOf(h.undo(at(theirs))!.set)).toBe('theirs');
		expect(h.redoLabel).toBe('a');
	});
	it('are forgotten past two hundred, and all of them when told', () => {
		const h = new History();
		let set = demoDraft;
		for (let i = 0; i < 250; i++) {
			const next = why(set, `t${i}`);
			h.note(`l${i}`, set, next, i * 5000);
			set = next;
		}
		let n = 0;
		for (let s = h.undo(at(set)); s; s = h.undo(at(s.set))) n++;
		expect(n).toBe(200);
		h.clear();
		expect([h.undoLabel, h.redoLabel, h.undo(at(set)), h.redo(at(set))]).toEqual([
			null,
			null,
			null,
			null
		]);
	});
});

describe('saving', () => {
	let draft: RuleSet;
	let saver: Saver;
	let bodies: { pieces: { path: string[] }[] }[];
	beforeEach(() => {
		vi.useFakeTimers();
		bodies = [];
		draft = demoDraft;
		saver = new Saver(() => draft);
		saver.loaded(structuredClone(demoDraft));
		vi.stubGlobal('fetch', (_: string, init: { body: string }) => {
			bodies.push(JSON.parse(init.body) as (typeof bodies)[number]);
			return Promise.resolve({ ok: true, status: 200, json: () => Promise.resolve({}) });
		});
	});
	const edit = (text: string, id?: string) => {
		draft = why(draft, text, id);
		saver.edited();
	};
	it('sends what was edited while a request was under way with the next one, and nothing twice', async () => {
		let release = () => {};
		vi.stubGlobal('fetch', (_: string, init: { body: string }) => {
			bodies.push(JSON.parse(init.body) as (typeof bodies)[number]);
			return new Promise((r) => {
				release = () => r({ ok: true, status: 200, json: () => Promise.resolve({}) });
			});
		});
		edit('one');
		await vi.advanceTimersByTimeAsync(400);
		expect(saver.state).toBe('saving');
		edit('two', 'urgency');
		release();
		await vi.advanceTimersByTimeAsync(100);
		release();
		await vi.advanceTimersByTimeAsync(1000);
		release();
		await vi.advanceTimersByTimeAsync(1000);
		expect(bodies.map((b) => b.pieces.map((p) => p.path[1]))).toEqual([
			['size_class'],
			['urgency']
		]);
		expect(saver.state).toBe('saved');
	});
	it('takes what was loaded, keeps what was not sent yet, and tells what others overtook', async () => {
		edit('mine');
		edit('mine too', 'urgency');
		const { set, lost } = saver.loaded(why(demoDraft, 'theirs'));
		draft = set;
		expect([whyOf(set), whyOf(set, 'urgency')]).toEqual(['theirs', 'mine too']);
		expect(lost.map((p) => p.path.join('.'))).toEqual(['rules.size_class.why']);
		expect(saver.state).toBe('waiting');
		await vi.advanceTimersByTimeAsync(1000);
		expect(bodies.flatMap((b) => b.pieces.map((p) => p.path[1]))).toEqual(['urgency']);
	});
	it('loads nothing over a request that is under way', async () => {
		vi.stubGlobal('fetch', () => new Promise(() => {}));
		edit('mine');
		await vi.advanceTimersByTimeAsync(400);
		expect(saver.loaded(why(demoDraft, 'theirs'))).toEqual({ set: draft, lost: [] });
	});
	it('takes what was accepted meanwhile, and sends none of it', async () => {
		const accepted = [{ id: 'a', rests: '0', reason: 'so', by: 'Ida', at: '2026-11-25T10:00:00Z' }];
		edit('mine');
		const { set } = saver.loaded({ ...demoDraft, accepted });
		expect(set.accepted).toEqual(accepted);
		expect(whyOf(set)).toBe('mine');
		const again = saver.loaded({ ...demoDraft, accepted: [...accepted] });
		expect(again.set.accepted).toEqual(accepted);
	});
	it('of what is the same again sends nothing', async () => {
		edit('mine');
		edit(whyOf(demoDraft));
		await vi.advanceTimersByTimeAsync(1000);
		expect([bodies, saver.state]).toEqual([[], 'saved']);
	});
});
