/**
 * Decision tables as boxes: each row is a box in the space of its inputs. Finds combinations that no
 * row takes, rows that share one, and rows that earlier ones cover. Exact for cells of constants,
 * ranges and options; a table with other cells is not analysed.
 */
import type { Tests } from '../document/tree';
import type { Value } from '../value/value';
import { GapSearch, MOST_STEPS } from './gaps';
import { Meeting } from './meeting';
import type { Axis, Domain, Runs } from './taken';
import { axisOf, common, includes, runsOf, takenBy } from './taken';

/** A combination of values, one for each input, and the rows it concerns. */
export interface Combination {
	values: readonly Value[];
	rows: readonly number[];
}

export interface Analysis {
	/** Combinations that no row takes; at most {@link MOST_FOUND}. */
	gaps: Combination[];
	/** Pairs of rows that both take a combination. */
	overlaps: Combination[];
	/** Rows that never get their turn, with the earlier rows that cover them; none when the row itself is impossible. */
	covered: { row: number; by: readonly number[] }[];
	/** False when the search for gaps was given up: the table is too wide. */
	complete: boolean;
}

export const MOST_FOUND = 20;

/** Analyses a table; null when a cell is of a kind that is not analysed. */
export function analyseBoxes(
	domains: readonly Domain[],
	rows: readonly (readonly Tests[])[]
): Analysis | null {
	const taken = rows.map((row) => row.map((cell, k) => takenBy(cell, domains[k])));
	if (taken.some((row) => row.some((t) => t === null))) return null;
	const axes = domains.map((d, k) =>
		axisOf(
			d,
			taken.map((row) => row[k]!)
		)
	);
	const boxes = taken.map((row) => row.map((t, k) => runsOf(t!, axes[k])));
	const everything = axes.map((a): Runs => [0, a.witness.length - 1]);
	const search = new GapSearch(axes, boxes, everything, MOST_FOUND);
	const gaps = search
		.gaps()
		.map((at) => ({ values: at.map((s, k) => axes[k].witness[s]), rows: [] }));
	return { gaps, ...meetings(axes, boxes), complete: search.steps <= MOST_STEPS };
}

/** Rows that take the same, and rows that earlier ones cover. */
function meetings(
	axes: readonly Axis[],
	boxes: readonly (readonly Runs[])[]
): Pick<Analysis, 'overlaps' | 'covered'> {
	const meeting = new Meeting(axes, boxes);
	const overlaps: Combination[] = [];
	const covered: Analysis['covered'] = [];
	boxes.forEach((box, row) => {
		if (box.some((runs) => !runs.length)) {
			covered.push({ row, by: [] });
			return;
		}
		const met = meeting.of(row);
		for (const other of met) {
			if (other < row) continue;
			if (overlaps.length >= MOST_FOUND) break;
			const values = box.map((runs, k) => axes[k].witness[common(runs, boxes[other][k])]);
			overlaps.push({ values, rows: [row, other] });
		}
		const earlier = met.filter((other) => other < row);
		if (earlier.length && isCovered(axes, boxes, row, earlier)) covered.push({ row, by: earlier });
	});
	return { overlaps, covered };
}

/** Whether some rows together take all that a row does. */
function isCovered(
	axes: readonly Axis[],
	boxes: readonly (readonly Runs[])[],
	row: number,
	by: readonly number[]
): boolean {
	const box = boxes[row];
	// most often one alone does
	if (by.some((other) => box.every((runs, k) => includes(boxes[other][k], runs)))) return true;
	const search = new GapSearch(
		axes,
		by.map((other) => boxes[other]),
		box,
		1
	);
	return !search.gaps().length && search.steps <= MOST_STEPS;
}
