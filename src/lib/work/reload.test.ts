import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { Reload } from './reload';

beforeEach(() => void vi.useFakeTimers());
afterEach(() => void vi.useRealTimers());

describe('loading once more', () => {
	it('is answered when what was loaded is on the page, not when a later load took its place', async () => {
		let loads = 0;
		const reload = new Reload(() => Promise.resolve(void loads++));
		const done: string[] = [];
		// each is answered at once, as one is whose place another took
		void reload.again().then(() => done.push('first'));
		void reload.again().then(() => done.push('second'));
		await vi.advanceTimersByTimeAsync(1_000);
		expect([loads, done]).toEqual([2, []]);
		reload.taken();
		await vi.advanceTimersByTimeAsync(0);
		expect(done).toEqual(['first', 'second']);
		// later ones wait for what comes later
		void reload.again().then(() => done.push('third'));
		await vi.advanceTimersByTimeAsync(1_000);
		expect(done).toHaveLength(2);
		reload.taken();
		await vi.advanceTimersByTimeAsync(0);
		expect(done).toHaveLength(3);
	});
	it('does not wait for ever for what cannot be loaded', async () => {
		const reload = new Reload(() => Promise.resolve());
		let done = false;
		void reload.again().then(() => (done = true));
		await vi.advanceTimersByTimeAsync(4_900);
		expect(done).toBe(false);
		await vi.advanceTimersByTimeAsync(200);
		expect(done).toBe(true);
		const broken = new Reload(() => Promise.reject(new Error('no')));
		await expect(broken.again()).rejects.toThrow('no');
	});
});
