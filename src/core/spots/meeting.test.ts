/** Rows found by their bits against each row put to each other. */
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { Meeting } from './meeting';
import { common, includes, type Axis, type Runs } from './taken';

const axis = (stretches: number): Axis => ({ witness: Array(stretches).fill(null), at: [] });
/** Runs from the stretches that a cell takes. */
function runs(taken: Iterable<number>): Runs {
	const out: number[] = [];
	for (const s of [...new Set(taken)].sort((a, b) => a - b))
		if (out.length && out[out.length - 1] === s - 1) out[out.length - 1] = s;
		else out.push(s, s);
	return out;
}
const stretchesOf = (r: Runs) =>
	new Set(
		Array.from({ length: r.length / 2 }, (_, i) =>
			Array.from({ length: r[2 * i + 1] - r[2 * i] + 1 }, (_, k) => r[2 * i] + k)
		).flat()
	);

/** Few stretches, told of one by one, and many, told of by their ends. */
const SIZES = [5, 64, 65, 200];
const cell = (stretches: number) =>
	fc.oneof(
		fc.constant([0, stretches - 1]),
		fc.constant([]),
		fc.array(fc.nat(stretches - 1), { maxLength: 4 }).map(runs),
		fc
			.tuple(fc.nat(stretches - 1), fc.nat(stretches - 1))
			.map(([a, b]): Runs => [Math.min(a, b), Math.max(a, b)])
	);
const pairwise = (boxes: readonly (readonly Runs[])[], row: number) =>
	boxes.flatMap((b, i) =>
		i !== row &&
		b.every((r, k) => [...stretchesOf(r)].some((s) => stretchesOf(boxes[row][k]).has(s)))
			? [i]
			: []
	);

describe('rows that meet', () => {
	it('are those that share a stretch of each input', () => {
		fc.assert(
			fc.property(
				fc.array(fc.tuple(...SIZES.map(cell)), { minLength: 2, maxLength: 60 }),
				(boxes) => {
					const meeting = new Meeting(SIZES.map(axis), boxes);
					boxes.forEach((_, row) => expect(meeting.of(row)).toEqual(pairwise(boxes, row)));
				}
			),
			{ numRuns: Number(process.env.RIGID_RUNS ?? 60), seed: 20261126 }
		);
	});
	it('are found in whatever block they stand', () => {
		// each meets the one before it and the one after it, and every thousandth all others
		const boxes = Array.from({ length: 3_000 }, (_, i): Runs[] =>
			i % 1000 === 999 ? [[0, 3_100]] : [[i, i + 1]]
		);
		const meeting = new Meeting([axis(3_200)], boxes);
		expect(meeting.of(1_023)).toEqual([999, 1_022, 1_024, 1_999, 2_999]);
		expect(meeting.of(1_024)).toEqual([999, 1_023, 1_025, 1_999, 2_999]);
		expect(meeting.of(999)).toHaveLength(2_999);
	});
	it('have runs in common, or include one another, as their stretches do', () => {
		fc.assert(
			fc.property(cell(30), cell(30), (a, b) => {
				const [x, y] = [stretchesOf(a), stretchesOf(b)];
				const both = [...x].filter((s) => y.has(s)).sort((p, q) => p - q);
				expect(common(a, b)).toBe(both[0] ?? -1);
				expect(includes(a, b)).toBe([...y].every((s) => x.has(s)));
			}),
			{ seed: 20261126 }
		);
	});
});
