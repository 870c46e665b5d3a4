/** What a ruler asks of the values that exist: how many lie below a limit, and where so many of them end. */
import type { Distribution } from '$door/distribution';

/** A number of records, and whether it is exact: within a stretch values are taken to lie evenly. */
export interface About {
	n: number;
	exact: boolean;
}

/** The stretches with how many records lie below each; the last one behind them all. */
export class CumulativeCounts {
	readonly total: number;
	private readonly stretches: Distribution['stretches'];
	private readonly before: number[];

	constructor({ stretches }: Distribution) {
		let n = 0;
		this.stretches = stretches;
		this.before = stretches.map(([, , records]) => (n += records) - records);
		this.total = n;
	}

	/** Null without values. */
	get least(): number | null {
		return this.stretches.at(0)?.[0] ?? null;
	}
	get greatest(): number | null {
		return this.stretches.at(-1)?.[1] ?? null;
	}

	/** Records with a value below a limit. @param itself those that have the limit itself too */
	below(limit: number, itself: boolean): About {
		const isBelow = (v: number) => v < limit || (itself && v === limit);
		let lo = 0;
		let hi = this.stretches.length;
		while (lo < hi) {
			const mid = (lo + hi) >> 1;
			if (isBelow(this.stretches[mid][1])) lo = mid + 1;
			else hi = mid;
		}
		if (lo === this.stretches.length) return { n: this.total, exact: true };
		const [least, greatest, records] = this.stretches[lo];
		if (!isBelow(least)) return { n: this.before[lo], exact: true };
		// the least is below and the greatest is not, so both are there, and one record at least has each
		const share = ((limit - least) / (greatest - least)) * records;
		const within = Math.min(records - 1, Math.max(1, Math.round(share)));
		return { n: this.before[lo] + within, exact: records === 2 };
	}

	/**
	 * Records in each band that limits make.
	 * @param limits as they stand, which may not rise while they are typed: a value is in the first band whose limit is above it
	 */
	counts(limits: readonly { at: number; above: boolean }[]): About[] {
		let passed: About = { n: 0, exact: true };
		const ends = [...limits.map((l) => this.below(l.at, !l.above)), { n: this.total, exact: true }];
		return ends.map((end) => {
			const n = Math.max(0, end.n - passed.n);
			const exact = end.exact && passed.exact;
			if (end.n > passed.n) passed = end;
			return { n, exact };
		});
	}

	/** The value below which a part of the records lies, as by all of them one after the other; null without values. @param part from 0 to 1 */
	quantile(part: number): number | null {
		if (!this.total) return null;
		const at = (this.total - 1) * part;
		const from = this.at(Math.floor(at));
		return from + (this.at(Math.ceil(at)) - from) * (at - Math.floor(at));
	}

	/** The value of a record by its place from the least, counted from 0. */
	private at(place: number): number {
		let lo = 0;
		let hi = this.before.length - 1;
		while (lo < hi) {
			const mid = (lo + hi + 1) >> 1;
			if (this.before[mid] <= place) lo = mid;
			else hi = mid - 1;
		}
		const [least, greatest, records] = this.stretches[lo];
		return records === 1
			? least
			: least + ((greatest - least) * (place - this.before[lo])) / (records - 1);
	}
}
