/** How many existing records hold each pair of two fields' values. */
import type { JsonValue } from '$core';
import { ask } from '../work/http';

/** A value as the counts name it: a set by its options in one order. */
const keyOf = (v: JsonValue) => (Array.isArray(v) ? [...v].sort().join(',') : String(v ?? ''));

/** Counted anew when the fields are others. Without an answer nothing is counted, and none is shown. */
export class Pairs {
	#all = $state.raw<{ a: string; b: string; n: number }[] | null>(null);

	/** @param of what is counted; null while a field is not chosen */
	constructor(of: () => { type: string; a: string; b: string } | null) {
		$effect(() => {
			const fields = of();
			this.#all = null;
			if (!fields) return;
			let gone = false;
			void ask<{ a: string; b: string; n: number }[]>(
				`/look/pairs?${new URLSearchParams(fields)}`
			).then(
				(all) => {
					if (!gone) this.#all = all;
				},
				() => undefined
			);
			return () => {
				gone = true;
			};
		});
	}

	get known(): boolean {
		return this.#all !== null;
	}
	/** Records that hold the one value and the other. */
	of(a: string, b: JsonValue): number {
		return this.#sum((p) => p.a === a && p.b === keyOf(b));
	}
	/** Records that hold the one value and, among others, an option. */
	with(a: string, option: string): number {
		return this.#sum((p) => p.a === a && p.b.split(',').includes(option));
	}
	/** Records that hold the one value. */
	total(a: string): number {
		return this.#sum((p) => p.a === a);
	}
	/** Records that hold the one value and something else than the other. */
	others(a: string, b: JsonValue): number {
		return this.total(a) - this.of(a, b);
	}
	#sum(take: (p: { a: string; b: string }) => boolean): number {
		return (this.#all ?? []).filter(take).reduce((n, p) => n + p.n, 0);
	}
}
