/**
 * How benches measure: work is done in rounds, one after the other and again (A B A B), by the processor time
 * that it took, so that what else the machine does falls on all alike. Medians and what lies around them.
 */

/** Rounds of each measurement. */
const ROUNDS = Number(process.env.RIGID_BENCH_ROUNDS ?? 9);
/** Processor time of one round, in µs: long enough to be measured. */
const ROUND = 20_000;

/** Processor time of each work before it is measured, in µs. */
const WARM = 400_000;

/** Processor time of this process so far, in µs. */
const spent = () => {
	const { user, system } = process.cpuUsage();
	return user + system;
};

function once(work: (i: number) => unknown, n: number): number {
	const from = spent();
	for (let i = 0; i < n; i++) work(i);
	return spent() - from;
}

export const median = (all: readonly number[]): number =>
	[...all].sort((a, b) => a - b)[all.length >> 1];

const digits = (x: number) => (x < 10 ? x.toFixed(2) : x < 100 ? x.toFixed(1) : x.toFixed(0));
/** Microseconds as people read them. */
const time = (us: number) => (us < 1_000 ? `${digits(us)} µs` : `${digits(us / 1_000)} ms`);

/** What one kind of work took, for each time, in µs: the median and each round. */
export interface Took {
	us: number;
	rounds: number[];
}

/**
 * Measures several kinds of work beside one another, each warmed before.
 * @param works by name; each is given how often it was called
 */
export function beside<K extends string>(
	works: Record<K, (i: number) => unknown>
): Record<K, Took> {
	const names = Object.keys(works) as K[];
	const times = new Map(
		names.map((k) => {
			// what is compiled late would else be measured cold
			for (const end = spent() + WARM; spent() < end;) works[k](0);
			let n = 1;
			while (once(works[k], n) < ROUND && n < 4_000_000) n *= 2;
			return [k, n] as const;
		})
	);
	const rounds = new Map(names.map((k) => [k, [] as number[]]));
	for (let r = 0; r < ROUNDS; r++)
		for (const k of names) rounds.get(k)!.push(once(works[k], times.get(k)!) / times.get(k)!);
	return Object.fromEntries(
		names.map((k) => {
			const all = rounds.get(k)!;
			console.log(`  ${k.padEnd(66)} ${time(median(all)).padStart(10)}`);
			return [k, { us: median(all), rounds: all }];
		})
	) as Record<K, Took>;
}

/** Prints how many times as long one took as another, round by round: the median, and from least to most. */
export function ratio(name: string, a: Took, b: Took): void {
	const all = a.rounds.map((x, i) => x / b.rounds[i]);
	console.log(
		`  → ${name}: ${digits(median(all))} (${digits(Math.min(...all))} to ${digits(Math.max(...all))})\n`
	);
}

/** Prints how a time grows with a size, as the exponent of the line that fits best: 0 is flat, 1 in proportion. */
export function growth(name: string, sizes: readonly number[], took: readonly Took[]): void {
	const x = sizes.map(Math.log);
	const y = took.map((t) => Math.log(t.us));
	const mean = (v: readonly number[]) => v.reduce((a, b) => a + b, 0) / v.length;
	const [mx, my] = [mean(x), mean(y)];
	const up = x.reduce((s, v, i) => s + (v - mx) * (y[i] - my), 0);
	const down = x.reduce((s, v) => s + (v - mx) ** 2, 0);
	console.log(`  → ${name}: grows with exponent ${(up / down).toFixed(2)}\n`);
}
