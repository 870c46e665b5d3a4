/** Samples kept beside the pinned one, by name; in this browser, so that they are there again after a reload. */
import type { Sample } from './sample';

export interface KeptSample {
	id: string;
	name: string;
	sample: Sample;
}

/** Most of one record type: more do not stand side by side. */
export const MOST_KEPT = 6;

export class KeptSamples {
	#all = $state.raw<KeptSample[]>([]);

	/** @param place under which they are kept: those of another account are not shown */
	constructor(private readonly place: string) {
		if (typeof localStorage === 'undefined') return;
		try {
			const read: unknown = JSON.parse(localStorage.getItem(place) ?? '[]');
			if (Array.isArray(read)) this.#all = read.filter(isKept);
		} catch {
			// what cannot be read was not kept by us
		}
	}

	of(type: string): KeptSample[] {
		return this.#all.filter((k) => k.sample.type === type);
	}

	/** Keeps a sample as it stands. Of too many of a type the oldest goes. @returns its name */
	keep(sample: Sample): string {
		const mine = this.of(sample.type);
		const taken = new Set(mine.map((k) => k.name));
		let name = sample.title;
		for (let n = 2; taken.has(name); n++) name = `${sample.title} (${n})`;
		const dropped = mine.length >= MOST_KEPT ? mine[0].id : null;
		this.#become([
			...this.#all.filter((k) => k.id !== dropped),
			{ id: crypto.randomUUID(), name, sample }
		]);
		return name;
	}

	rename(id: string, name: string) {
		this.#become(this.#all.map((k) => (k.id === id ? { ...k, name: name.slice(0, 120) } : k)));
	}

	drop(id: string) {
		this.#become(this.#all.filter((k) => k.id !== id));
	}

	#become(all: KeptSample[]) {
		this.#all = all;
		try {
			localStorage.setItem(this.place, JSON.stringify(all));
		} catch {
			// a full or closed store: they stay until the page is left
		}
	}
}

function isKept(x: unknown): x is KeptSample {
	if (typeof x !== 'object' || x === null) return false;
	const { id, name, sample } = x as Partial<KeptSample>;
	return (
		typeof id === 'string' &&
		typeof name === 'string' &&
		typeof sample === 'object' &&
		typeof sample?.type === 'string' &&
		typeof sample.title === 'string' &&
		typeof sample.was === 'object' &&
		Array.isArray(sample.sent)
	);
}
