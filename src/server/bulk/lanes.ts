/**
 * Which records of a bulk change may be changed beside each other. What one change writes, and what it reads through links, no
 * other may touch meanwhile: records that share any of it go one after the other, in their order, so what was looked at
 * is what comes of it. The others go in lanes of their own.
 */
import { refKey } from '../../core';
import type { BulkRow } from '../db/bulk';

/** Most lanes: some for each of a few servers. */
const MOST = 4;

/** What a change of a record wrote and read, as it was looked at. */
export interface Footprint {
	/** As `type.number`, the record itself among it. */
	touched: readonly string[];
	/** Fields that it wrote, as `type.field`, there and elsewhere. */
	wrote: readonly string[];
	/** Nobody can say what all it will touch. */
	open: boolean;
}

/** What is known of one whose change was not settled: nothing. */
export const UNKNOWN: Footprint = { touched: [], wrote: [], open: true };

/** Gathers what changes touch, and parts them. */
export class Lanes {
	private readonly over = new Map<string, string>();
	private readonly rows: { n: number; key: string }[] = [];
	private inOrder = false;

	/** @param finding fields, as `type.field`, whose change makes records find others */
	constructor(private readonly finding: ReadonlySet<string>) {}

	/** Takes in a record that would change. */
	add(
		{ n, type, record }: Pick<BulkRow, 'n' | 'type' | 'record'>,
		{ touched, wrote, open }: Footprint
	): void {
		if (open || wrote.some((f) => this.finding.has(f))) this.inOrder = true;
		// nothing of what is gathered counts any more
		if (this.inOrder) return;
		const key = refKey(type, record);
		this.rows.push({ n, key });
		for (const other of touched) this.join(key, other);
	}

	/** The lane of each record; null where all go one after the other. */
	cut(): { lanes: number; of: { n: number; lane: number }[] } | null {
		if (this.inOrder) return null;
		const together = new Map<string, number[]>();
		for (const { n, key } of this.rows) {
			const root = this.root(key);
			const had = together.get(root);
			if (had) had.push(n);
			else together.set(root, [n]);
		}
		const lanes = Math.min(MOST, together.size);
		if (lanes < 2) return null;
		// the largest first, each to the lane that has least
		const load = Array.from({ length: lanes }, () => 0);
		const of: { n: number; lane: number }[] = [];
		for (const group of [...together.values()].sort((a, b) => b.length - a.length)) {
			const lane = load.indexOf(Math.min(...load));
			load[lane] += group.length;
			for (const n of group) of.push({ n, lane });
		}
		return { lanes, of };
	}

	private root(key: string): string {
		let at = key;
		for (let up = this.over.get(at); up !== undefined; up = this.over.get(at)) {
			// every step of the way leads nearer to the root than before
			const higher = this.over.get(up);
			if (higher !== undefined) this.over.set(at, higher);
			at = up;
		}
		return at;
	}

	private join(a: string, b: string): void {
		const [x, y] = [this.root(a), this.root(b)];
		if (x !== y) this.over.set(x, y);
	}
}
