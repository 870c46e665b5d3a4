import { seeded } from '../demo/generate';

/** Chance, from a seed: the same on every machine. */
export class Chance {
	private readonly next: () => number;
	constructor(seed: number) {
		this.next = seeded(seed * 2654435761);
	}
	int(from: number, to: number): number {
		return from + Math.floor(this.next() * (to - from + 1));
	}
	of<T>(xs: readonly T[]): T {
		return xs[this.int(0, xs.length - 1)];
	}
	/** The same things in another order. */
	mixed<T>(xs: readonly T[]): T[] {
		const left = [...xs];
		return xs.map(() => left.splice(this.int(0, left.length - 1), 1)[0]);
	}
}
