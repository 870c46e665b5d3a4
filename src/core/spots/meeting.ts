/**
 * Which rows of a decision table take something in common. Each input tells of all rows at once, as bits: a row
 * meets those that begin no later than it ends and do not end before it begins. So a row is asked once for
 * each input, not against each other row.
 */
import { common, type Axis, type Runs } from './taken';

/** Rows told of together: so what is kept for each place at which one begins stays small. */
const BLOCK = 1024;
const WORDS = BLOCK / 32;
/** An input of no more stretches is told of stretch by stretch. */
const FEW = 64;

/** Adds or takes away the rows of a block that may meet some runs. */
type Narrow = (runs: Runs, left: Uint32Array) => void;

/** By stretch: exact. */
function byStretch(stretches: number, rows: readonly Runs[]): Narrow {
	const at = Array.from({ length: stretches }, () => new Uint32Array(WORDS));
	rows.forEach((runs, row) => {
		for (let r = 0; r < runs.length; r += 2)
			for (let s = runs[r]; s <= runs[r + 1]; s++) at[s][row >> 5] |= 1 << (row & 31);
	});
	const taken = new Uint32Array(WORDS);
	return (runs, left) => {
		taken.fill(0);
		for (let r = 0; r < runs.length; r += 2)
			for (let s = runs[r]; s <= runs[r + 1]; s++)
				for (let w = 0; w < WORDS; w++) taken[w] |= at[s][w];
		for (let w = 0; w < WORDS; w++) left[w] &= taken[w];
	};
}

/** By where rows begin and end: a row of several runs is taken for all from its first to its last. */
function byEnds(stretches: number, rows: readonly Runs[]): Narrow {
	/** For each stretch the rows of which something is at it or before it. */
	const upTo = (ends: (runs: Runs) => number) => {
		const order = rows.map((_, i) => i).filter((i) => rows[i].length);
		order.sort((a, b) => ends(rows[a]) - ends(rows[b]));
		const bits = new Uint32Array((order.length + 1) * WORDS);
		const count = new Int32Array(stretches + 1);
		order.forEach((row, k) => {
			bits.copyWithin((k + 1) * WORDS, k * WORDS, (k + 1) * WORDS);
			bits[(k + 1) * WORDS + (row >> 5)] |= 1 << (row & 31);
			count[ends(rows[row])]++;
		});
		for (let s = 1; s <= stretches; s++) count[s] += count[s - 1];
		return { bits, count };
	};
	const begun = upTo((runs) => runs[0]);
	const ended = upTo((runs) => runs[runs.length - 1]);
	return (runs, left) => {
		const from = runs[0];
		const b = begun.count[runs[runs.length - 1]] * WORDS;
		const e = (from ? ended.count[from - 1] : 0) * WORDS;
		for (let w = 0; w < WORDS; w++) left[w] &= begun.bits[b + w] & ~ended.bits[e + w];
	};
}

/** The rows of a table, to be asked which others one of them meets. */
export class Meeting {
	private readonly blocks: Narrow[][] = [];

	/** @param boxes what each row takes of each input */
	constructor(
		axes: readonly Axis[],
		private readonly boxes: readonly (readonly Runs[])[]
	) {
		for (let from = 0; from < boxes.length; from += BLOCK) {
			const rows = boxes.slice(from, from + BLOCK);
			this.blocks.push(
				axes.map(({ witness }, k) => {
					const own = rows.map((r) => r[k]);
					return witness.length <= FEW
						? byStretch(witness.length, own)
						: byEnds(witness.length, own);
				})
			);
		}
	}

	/** The other rows that take something which this one takes, in their order. */
	of(row: number): number[] {
		const box = this.boxes[row];
		const out: number[] = [];
		if (box.some((runs) => !runs.length)) return out;
		const left = new Uint32Array(WORDS);
		this.blocks.forEach((narrow, n) => {
			left.fill(-1);
			box.forEach((runs, k) => narrow[k](runs, left));
			for (let w = 0; w < WORDS; w++)
				for (let bits = left[w]; bits; bits &= bits - 1) {
					const other = n * BLOCK + w * 32 + 31 - Math.clz32(bits & -bits);
					if (other >= this.boxes.length || other === row) continue;
					if (box.every((runs, k) => common(runs, this.boxes[other][k]) >= 0)) out.push(other);
				}
		});
		return out;
	}
}
