/** A record's form without its page: what is touched, shown, refused and kept. */
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { demoModel } from '../../../demo/model';
import { demoDraft, demoReleases, formula } from '../../../demo/rules';
import { Workbench, type WorkData } from '../work/workbench.svelte';
import { Entry, type Opened } from './entry.svelte';

let answer: () => { status?: number; body?: unknown };
let bodies: Record<string, unknown>[];
let w: Workbench;
const opened = (more: Partial<Opened> = {}): Opened => ({
	type: 'customer',
	id: '7',
	version: 3,
	values: { trading_name: 'Fen', headcount: '48', size_class: 'small' },
	setBy: {},
	short: false,
	inLine: true,
	pilot: false,
	...more
});
const entry = (more: Partial<Opened> = {}) => new Entry(w, () => opened(more));
const kept = (more: object = {}) => ({
	id: '7',
	version: 4,
	release: 3,
	values: { trading_name: 'Fen', headcount: '60', size_class: 'medium' },
	changes: [{ rule: null }, { rule: 'size_class' }],
	reached: [],
	sent: 0,
	pending: 0,
	failures: [],
	...more
});

const data: WorkData = {
	account: { id: '1', name: 'Ida', email: '', role: 'author', person: '1' },
	model: demoModel,
	draft: { set: demoDraft, authors: {} },
	revision: 1,
	draftHash: 'h',
	overruled: {},
	inForce: { number: 3, set: demoReleases[2].set },
	pilot: null,
	living: { number: 0, rows: {}, away: [] },
	trials: { count: 0, mark: '' },
	rehearsal: null,
	replay: null,
	remarks: []
};

beforeEach(() => {
	bodies = [];
	answer = () => ({ body: kept() });
	vi.stubGlobal('fetch', (_: string, init: { body: string }) => {
		bodies.push(JSON.parse(init.body) as Record<string, unknown>);
		const { status = 200, body = {} } = answer();
		return Promise.resolve({ ok: status < 400, status, json: () => Promise.resolve(body) });
	});
	w = new Workbench(data);
});
afterEach(() => vi.unstubAllGlobals());

describe('a page that is only rendered', () => {
	it('shows what is stored and compiles no rule', () => {
		const set = demoReleases[2].set;
		const untouched = new Proxy(set.rules[0], {
			get: () => {
				throw new Error('A rule was read.');
			}
		});
		const poisoned = { ...data, inForce: { number: 3, set: { ...set, rules: [untouched] } } };
		w = new Workbench(poisoned, false);
		const e = entry({ values: { headcount: '60', size_class: 'small' } });
		expect([e.shown('size_class'), e.why('size_class')]).toEqual(['small', null]);
		expect([e.result, e.elsewhere, e.release]).toEqual([null, [], 3]);
		// the same where it is worked on reads it
		w = new Workbench(poisoned);
		expect(() => entry().plan).toThrow('A rule was read.');
	});
});

describe('while typing', () => {
	it('opening runs nothing; a touch shows what the release in force makes of it, and why', () => {
		const e = entry({ values: { headcount: '60', size_class: 'small' } });
		expect([e.live, e.shown('size_class')]).toEqual([false, 'small']);
		e.touch('headcount', '61');
		expect(e.shown('size_class')).toBe('medium');
		expect(e.why('size_class')).toContain('Headcount 61');
	});
	it('back to what is stored is no change', () => {
		const e = entry();
		e.touch('headcount', '60');
		e.touch('headcount', '48');
		expect([e.sent, e.live]).toEqual([[], false]);
	});
	it('a choice made by hand is never dropped, also when it is what was stored', async () => {
		const e = entry({ values: { key_grower: true, service_plan: 'on_call' } });
		e.touch('key_grower', false);
		expect(e.shown('service_plan')).toBe('yearly_check');
		e.touch('service_plan', 'full_care');
		e.touch('service_plan', 'on_call');
		expect(e.shown('service_plan')).toBe('on_call');
		await e.save();
		expect(bodies.at(-1)!.sent).toEqual([
			['key_grower', false],
			['service_plan', 'on_call']
		]);
	});
	it('a value that a rule gave is told with its reason of then', () => {
		const e = entry({
			setBy: {
				size_class: { by: 'rule', rule: 'Size class', because: 'Headcount 48 is small' }
			} as never
		});
		expect(e.why('size_class')).toBe('because Headcount 48 is small');
		expect(e.why('name')).toBeNull();
	});
	it('a value that stays as it is for another reason is told with that one', () => {
		const e = entry({
			values: { headcount: '60', size_class: 'medium' },
			setBy: {
				size_class: { by: 'rule', rule: 'Size class', because: 'Headcount 60 is medium' }
			} as never
		});
		expect(e.why('size_class')).toBe('because Headcount 60 is medium');
		e.touch('headcount', '70');
		expect(e.shown('size_class')).toBe('medium');
		expect(e.why('size_class')).toContain('Headcount 70');
		e.letGo('headcount');
		expect(e.why('size_class')).toBe('because Headcount 60 is medium');
	});
	it('of a new record nothing is stored, and all is live', () => {
		const e = entry({ id: null, values: {} });
		expect([e.live, e.stored('name')]).toEqual([true, null]);
	});
});

describe('saving', () => {
	it('sends what was touched with the version and release that were seen, and tells what came of it', async () => {
		const e = entry();
		e.touch('headcount', '60');
		answer = () => ({ body: kept({ reached: [1], sent: 2, pending: 3 }) });
		expect(await e.save()).toEqual({ to: '7', at: null });
		expect(bodies).toEqual([{ sent: [['headcount', '60']], release: 3, living: 0, version: 3 }]);
		expect(e.saved).toBe(
			'Saved by release 3: 1 field from you, 1 by rules, 1 related record, 2 messages to send, 3 related records to follow.'
		);
		expect([e.sent, e.live, e.shown('headcount')]).toEqual([[], false, '60']);
		// whoever types on at once types upon what was saved
		e.touch('headcount', '61');
		await e.save();
		expect(bodies[1]).toMatchObject({ version: 4 });
	});
	it('sends nothing when nothing was touched, or something cannot be read', async () => {
		const e = entry();
		await e.save();
		expect(e.saved).toContain('Nothing was changed');
		e.cannotRead('headcount', 'No number.');
		expect(await e.save()).toEqual({ to: null, at: 'headcount' });
		expect(e.faults).toEqual([{ field: 'headcount', message: 'No number.' }]);
		expect(bodies).toEqual([]);
		e.cannotRead('headcount', null);
		e.touch('headcount', '60');
		await e.save();
		expect(bodies).toHaveLength(1);
	});
	it('twice at once sends once', async () => {
		const e = entry();
		e.touch('headcount', '60');
		await Promise.all([e.save(), e.save()]);
		expect(bodies).toHaveLength(1);
	});
	it('refused names the first field; what was typed stays', async () => {
		const e = entry();
		e.touch('headcount', '-1');
		answer = () => ({
			status: 422,
			body: { message: 'Refused.', faults: [{ field: 'headcount', message: 'Not below 0.' }] }
		});
		expect(await e.save()).toEqual({ to: null, at: 'headcount' });
		expect(e.sent).toEqual([['headcount', '-1']]);
		e.touch('headcount', '1');
		expect(e.faults).toEqual([]);
		answer = () => ({ status: 500, body: 'no JSON of ours' });
		await e.save();
		expect(e.problems).toHaveLength(1);
	});
	it('overtaken by somebody else shows both, and goes on upon what is stored', async () => {
		const e = entry();
		e.touch('headcount', '60');
		answer = () => ({
			status: 409,
			body: {
				message: '',
				current: {
					version: 5,
					values: { trading_name: 'Fen', headcount: '50', size_class: 'small' }
				}
			}
		});
		await e.save();
		expect(e.differing.map((f) => f.id)).toEqual(['headcount']);
		await e.keeping(() => Promise.resolve());
		expect([e.conflict, e.sent]).toEqual([null, [['headcount', '60']]]);
		e.letGo('headcount');
		expect(e.sent).toEqual([]);
	});
	it('by another release than was shown asks first, and then saves by that one', async () => {
		const e = entry();
		e.touch('headcount', '60');
		answer = () => ({
			status: 409,
			body: {
				message: '',
				otherwise: {
					release: 4,
					living: 0,
					differences: [{ field: 'size_class', shown: 'medium', now: 'small' }]
				}
			}
		});
		await e.save();
		expect(e.otherwise?.release).toBe(4);
		answer = () => ({ body: kept() });
		await e.save();
		expect(bodies[1]).toMatchObject({ release: 4 });
	});
	it('without a server keeps everything', async () => {
		const e = entry();
		e.touch('headcount', '60');
		vi.stubGlobal('fetch', () => Promise.reject(new TypeError('away')));
		await e.save();
		expect(e.problems[0].message).toContain('still here');
		expect([e.busy, e.sent.length]).toEqual([false, 1]);
		e.undoAll();
		expect([e.sent, e.faults]).toEqual([[], []]);
	});
});

describe('while a pilot is on', () => {
	const tried = {
		...demoReleases[2].set,
		rules: demoReleases[2].set.rules.map((r) =>
			r.id === 'size_class'
				? {
						...r,
						body: JSON.parse(JSON.stringify(r.body).replaceAll('"50"', '"60"')) as typeof r.body
					}
				: r
		)
	};
	const chosen = [{ type: 'customer', condition: formula('customer', 'Trading name = "Tern"') }];
	beforeEach(() => {
		w.pilot = { id: '1', release: 4, version: 1, set: tried, choice: { chosen, brought: null } };
	});
	it('decides each record by its own release, and says which it ran', async () => {
		const values = { headcount: '48', size_class: 'small' };
		const theirs = entry({ values });
		theirs.touch('headcount', '55');
		expect([theirs.shown('size_class'), theirs.piloted]).toEqual(['medium', false]);
		const mine = entry({ values, pilot: true });
		expect(mine.piloted).toBe(true);
		mine.touch('headcount', '55');
		expect(mine.shown('size_class')).toBe('small');
		expect(mine.why('size_class')).toContain('Headcount 55');
		await theirs.save();
		await mine.save();
		expect(bodies.map((b) => b.release)).toEqual([3, 4]);
	});
	it('a new record goes over to it while it is typed, and back', () => {
		const e = entry({ id: null, version: 0, values: {} });
		e.touch('headcount', '55');
		expect([e.piloted, e.shown('size_class')]).toEqual([false, 'medium']);
		e.touch('trading_name', 'Tern');
		expect([e.piloted, e.shown('size_class'), e.release]).toEqual([true, 'small', 4]);
		e.touch('trading_name', 'Terns');
		expect([e.piloted, e.shown('size_class'), e.release]).toEqual([false, 'medium', 3]);
	});
});
