/** What no row of a decision table takes. */
import { includes, type Axis, type Runs } from './taken';

/** Steps after which a search is given up: the table is too wide. */
export const MOST_STEPS = 400_000;

/** Walks the inputs one by one with the rows that are still in play; equal situations are looked at once. */
export class GapSearch {
	steps = 0;
	private readonly found: number[][] = [];
	private readonly seen: Set<string>[];
	/** For each row the first input from which on it takes all that is searched. */
	private readonly allFrom: Int32Array;

	/**
	 * @param boxes what each row takes of each input
	 * @param within what is searched of each input
	 * @param most holes after which it ends
	 */
	constructor(
		private readonly axes: readonly Axis[],
		private readonly boxes: readonly (readonly Runs[])[],
		private readonly within: readonly Runs[],
		private readonly most: number
	) {
		this.seen = axes.map(() => new Set());
		this.allFrom = Int32Array.from(boxes, (box) => {
			let k = axes.length;
			while (k && includes(box[k - 1], within[k - 1])) k--;
			return k;
		});
	}

	/** Holes, each as a stretch of each input. */
	gaps(): readonly number[][] {
		this.walk(
			0,
			this.boxes.map((_, i) => i),
			[]
		);
		return this.found;
	}

	private walk(column: number, rows: readonly number[], path: readonly number[]) {
		if (this.found.length >= this.most || this.steps > MOST_STEPS) return;
		if (!rows.length) {
			this.found.push([...path, ...this.within.slice(column).map((runs) => runs[0])]);
			return;
		}
		// a row that takes all that is left leaves no gap here
		if (column === this.axes.length || rows.some((r) => this.allFrom[r] <= column)) return;
		const key = rows.join();
		if (this.seen[column].has(key)) return;
		this.seen[column].add(key);
		this.steps++;
		const blank = this.axes[column].witness.length - 1;
		// one hole in values is enough, and blank is told apart from it
		let hole = false;
		for (const [from, left] of this.parts(column, rows)) {
			if (!left.length && hole && from !== blank) continue;
			if (!left.length && from !== blank) hole = true;
			this.walk(column + 1, left, [...path, from]);
		}
	}

	/** Where the rows in play change along an input: from which stretch on, and which they are from there. */
	private *parts(
		column: number,
		rows: readonly number[]
	): Generator<readonly [from: number, left: readonly number[]]> {
		const within = this.within[column];
		const blank = this.axes[column].witness.length - 1;
		const events: [at: number, row: number, begins: boolean][] = [];
		for (const r of rows) {
			const runs = this.boxes[r][column];
			for (let i = 0; i < runs.length; i += 2)
				events.push([runs[i], r, true], [runs[i + 1] + 1, r, false]);
		}
		events.sort((a, b) => a[0] - b[0]);
		const open = new Set<number>();
		let next = 0;
		for (let i = 0; i < within.length; i += 2) {
			const to = within[i + 1];
			for (let at = within[i]; at <= to;) {
				for (; next < events.length && events[next][0] <= at; next++) {
					const [, row, begins] = events[next];
					if (begins) open.add(row);
					else open.delete(row);
				}
				yield [at, [...open].sort((a, b) => a - b)];
				const after = next < events.length ? events[next][0] : to + 1;
				at = at < blank ? Math.min(after, Math.max(blank, at + 1)) : after;
			}
		}
	}
}
