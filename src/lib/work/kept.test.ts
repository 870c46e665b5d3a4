/** Samples kept by name: there again after a reload, apart by account, and never more than can be read. */
import { beforeEach, describe, expect, it, vi } from 'vitest';
import { KeptSamples, MOST_KEPT } from './kept.svelte';
import type { Sample } from './sample';

const store = new Map<string, string>();
beforeEach(() => {
	store.clear();
	vi.stubGlobal('localStorage', {
		getItem: (k: string) => store.get(k) ?? null,
		setItem: (k: string, v: string) => void store.set(k, v)
	});
});
const sample = (title: string, type = 'customer'): Sample => ({
	type,
	title,
	id: '1',
	was: { headcount: '48' },
	links: {},
	sent: [['headcount', '60']],
	entryPoint: 'full',
	created: false,
	day: null
});

describe('kept samples', () => {
	it('are there again, by name, for the same account', () => {
		const kept = new KeptSamples('samples.1');
		expect(kept.keep(sample('Fenside Orchids'))).toBe('Fenside Orchids');
		expect(kept.keep(sample('Fenside Orchids'))).toBe('Fenside Orchids (2)');
		const [first] = kept.of('customer');
		kept.rename(first.id, 'small grower');
		const again = new KeptSamples('samples.1');
		expect(again.of('customer').map((k) => k.name)).toEqual([
			'small grower',
			'Fenside Orchids (2)'
		]);
		expect(again.of('customer')[0].sample.sent).toEqual([['headcount', '60']]);
		expect(new KeptSamples('samples.2').of('customer')).toEqual([]);
		again.drop(first.id);
		expect(new KeptSamples('samples.1').of('customer')).toHaveLength(1);
	});

	it('are apart by record type, and the oldest goes when there are too many', () => {
		const kept = new KeptSamples('samples.1');
		kept.keep(sample('a deal', 'deal'));
		for (let i = 0; i < MOST_KEPT + 2; i++) kept.keep(sample(`n${i}`));
		expect(kept.of('customer').map((k) => k.name)).toEqual(
			Array.from({ length: MOST_KEPT }, (_, i) => `n${i + 2}`)
		);
		expect(kept.of('deal')).toHaveLength(1);
	});

	it('leave out what somebody else wrote there, or broke', () => {
		store.set('samples.1', '{"not":"a list"}');
		expect(new KeptSamples('samples.1').of('customer')).toEqual([]);
		store.set(
			'samples.1',
			'[{"id":"x"},null,3,{"id":"y","name":"n","sample":{"type":"customer"}}]'
		);
		expect(new KeptSamples('samples.1').of('customer')).toEqual([]);
		store.set('samples.1', '[[[');
		expect(new KeptSamples('samples.1').of('customer')).toEqual([]);
	});
});
