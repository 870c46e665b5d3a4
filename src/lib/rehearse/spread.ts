/** Two spreads of one field's numbers on a common scale, for a picture: as they are, and as they would be. */
import { scaleLinear, scaleSymlog } from 'd3-scale';
import type { Bins, RehearsedField } from '$core';

export const WIDTH = 640;
const BARS = 28;
/** Two ticks are so far apart at least: a label is some 55 wide, and the last one ends at its tick. */
const APART = 90;

/** A stretch of the scale, its upper end left out; at the ends of the scale it goes on for ever. */
export interface Stretch {
	least: number;
	most: number;
}

export interface Spread {
	/** Numbers lie so far apart that the scale is logarithmic. */
	logarithmic: boolean;
	place: (value: number) => number;
	/** For each bar where it begins and ends on the scale, and how many records have a number in it, before and after. */
	bars: { from: number; to: number; before: number; after: number; stretch: Stretch }[];
	ticks: number[];
}

/** Beyond every number that a field holds. */
const BEYOND = 1e300;

export function spreadOf({ before, after }: NonNullable<RehearsedField['shift']>): Spread {
	const all = [...before.bins, ...after.bins].map(([v]) => v);
	const low = Math.min(0, ...all);
	const high = Math.max(1, ...all);
	const positive = all.filter((v) => v > 0).sort((a, b) => a - b);
	const logarithmic =
		low >= 0 && positive.length > 3 && high / positive[Math.floor(positive.length / 2)] > 20;
	const scale = logarithmic
		? scaleSymlog()
				.constant(Math.max(1, high / 1000))
				.domain([low, high])
				.range([0, WIDTH])
		: scaleLinear().domain([low, high]).range([0, WIDTH]);
	const edges = Array.from({ length: BARS + 1 }, (_, i) =>
		Number(scale.invert((i * WIDTH) / BARS))
	);
	const at = (v: number) => Math.min(BARS - 1, Math.max(0, Math.floor((scale(v) / WIDTH) * BARS)));
	const bars = Array.from({ length: BARS }, (_, i) => ({
		from: edges[i],
		to: edges[i + 1],
		before: 0,
		after: 0,
		stretch: { least: i ? edges[i] : -BEYOND, most: i === BARS - 1 ? BEYOND : edges[i + 1] }
	}));
	const count = (bins: Bins, side: 'before' | 'after') => {
		for (const [v, n] of bins) bars[at(v)][side] += n;
	};
	count(before.bins, 'before');
	count(after.bins, 'after');
	const wanted = logarithmic
		? [low, ...[1, 10, 100, 1e3, 1e4, 1e5, 1e6, 1e7].filter((t) => t >= high / 2000), high]
		: scale.ticks(6);
	const ticks: number[] = [];
	for (const t of wanted)
		if (t >= low && t <= high && (!ticks.length || scale(t) - scale(ticks.at(-1)!) > APART))
			ticks.push(t);
	return { logarithmic, place: (v) => scale(v), bars, ticks };
}
