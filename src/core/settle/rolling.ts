/** Figures of the records behind a link, as a change has them: what is stored, less what goes, more what comes. */
import type { RollUp, Rolled } from '../feel/env';
import * as n from '../value/num';
import { Num } from '../value/num';
import type { Value } from '../value/value';
import { order } from '../value/value';
import type { StoredFigures } from './types';

/** Longest whole part, and most decimals, of numbers that are added up in any order without being rounded. */
const WHOLE = 17;
const DECIMALS = 15;
const inReach = (x: Value): x is Num => x instanceof Num && x.big === null;

/** So many of the least, or greatest, are kept: as many less one may go until they have to be looked at. */
export const ENDS = 12;

/** So many of the records behind a link are named in a reason. */
export const FIRST = 20;

/** Figures that change as records come and go; the first are those that are stored. */
export class Rolling implements Rolled {
	all: number;
	n: number;
	filled: number;
	sum: Num | null;
	ends: Value[];
	readonly first: readonly string[];
	/** The figures cannot be told any more. */
	private lost = false;

	constructor(
		private readonly of: RollUp,
		r: Rolled
	) {
		this.all = r.all;
		this.n = r.n;
		this.filled = r.filled;
		this.sum = r.sum;
		this.ends = [...r.ends];
		this.first = r.first;
	}

	/** One that was among them is so no longer. @param met it met the condition @param v its value */
	less(met: boolean, v: Value): void {
		this.all--;
		if (!met) return;
		this.n--;
		if (v === null) return;
		this.filled--;
		this.add(v, -1);
		if (!this.extreme) return;
		const i = this.ends.findIndex((x) => order(x, v) === 0);
		if (i >= 0) this.ends.splice(i, 1);
	}

	/** One comes to be among them. */
	more(met: boolean, v: Value): void {
		this.all++;
		if (!met) return;
		this.n++;
		if (v === null) return;
		// those beyond the ones that are kept are not known: one that lies behind them is one of those
		const whole = this.ends.length === this.filled;
		this.filled++;
		this.add(v, 1);
		if (!this.extreme) return;
		const sign = this.of.fn === 'max' ? -1 : 1;
		const i = this.ends.findIndex((x) => order(v, x)! * sign < 0);
		if (i >= 0) this.ends.splice(i, 0, v);
		else if (whole) this.ends.push(v);
	}

	/** All of what came and went is told. @returns null where the figures do not tell what is asked */
	close(): Rolled | null {
		if (this.extreme && this.filled && !this.ends.length) return null;
		return this.lost ? null : this;
	}

	private get extreme() {
		return this.of.fn === 'min' || this.of.fn === 'max';
	}

	private add(v: Value, sign: 1 | -1) {
		if (this.of.fn !== 'sum' && this.of.fn !== 'mean') return;
		if (!inReach(v)) this.lost = true;
		else this.sum = n.add(this.sum ?? n.num(0), sign < 0 ? n.negate(v) : v);
	}
}

/** No record of a type was changed before, or made. */
export const NOTHING_MADE: StoredFigures['made'] = new Map();

/** The figures of none. */
export const NONE_ROLLED: Rolled = { all: 0, n: 0, filled: 0, sum: null, ends: [], first: [] };

/** A sum as it was added up elsewhere; null where it is too long to be told without rounding. */
export function addedUp(sum: string, absolute: string, decimals: number): Num | null {
	const whole = absolute.split('.', 1)[0];
	return whole.length > WHOLE || decimals > DECIMALS ? null : n.parseNum(sum);
}

const byNumber = (a: string, b: string) => a.length - b.length || (a < b ? -1 : 1);

/**
 * The records behind a link as they are known without all of them: how many, and the first. Those come and go as
 * records are changed.
 */
export class Behind {
	n: number;
	private readonly ids: string[];
	/** All of them are known. */
	private readonly whole: boolean;
	/** One that was among the first is gone, and who comes in its place is not known. */
	private lost = false;

	constructor({ all, first }: Rolled) {
		this.n = all;
		this.ids = [...first];
		this.whole = first.length === all;
	}

	/** One that was behind the link is so no longer. */
	less(id: string): void {
		this.n--;
		const i = this.ids.indexOf(id);
		if (i < 0) return;
		this.ids.splice(i, 1);
		if (!this.whole) this.lost = true;
	}

	/** One comes to be behind it. @param last behind all others, whatever its number */
	more(id: string, last = false): void {
		this.n++;
		const at = last ? -1 : this.ids.findIndex((x) => byNumber(x, id) > 0);
		if (at >= 0) this.ids.splice(at, 0, id);
		else if (this.whole) this.ids.push(id);
	}

	/** All of what came and went is told. @returns null where it takes all of them to tell the first */
	close(): { n: number; ids: string[] } | null {
		return this.lost ? null : { n: this.n, ids: this.ids.slice(0, FIRST) };
	}
}
