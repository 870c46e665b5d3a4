/** Chance: records in an order that a seed gives, and how likely an outcome is by chance alone. */

/** The numbers from 0 up to a count in an order that depends on the seed alone (Fisher and Yates; xorshift). */
export function shuffled(count: number, seed: number): number[] {
	let state = seed >>> 0 || 1;
	const next = () => {
		state ^= state << 13;
		state ^= state >>> 17;
		state ^= state << 5;
		return (state >>> 0) / 4294967296;
	};
	const out = Array.from({ length: count }, (_, i) => i);
	for (let i = count - 1; i > 0; i--) {
		const k = Math.floor(next() * (i + 1));
		[out[i], out[k]] = [out[k], out[i]];
	}
	return out;
}

/**
 * How likely at least so many of some outcomes are for the better, were better and worse equally likely:
 * the one-sided sign test.
 */
export const signTest = (better: number, worse: number): number =>
	atLeast(better, better + worse, 0.5);

/** How likely something that happens with a probability happens at least so many times out of some: the tail of the binomial distribution. */
export function atLeast(times: number, of: number, p: number): number {
	if (times <= 0) return 1;
	if (p <= 0) return 0;
	if (p >= 1) return 1;
	// log of (of over k) p^k (1-p)^(of-k), from the last term down
	let term = of * Math.log(p);
	let sum = 0;
	for (let k = of; k >= times; k--) {
		sum += Math.exp(term);
		// (of over k-1) = (of over k) * k / (of - k + 1)
		term += Math.log(k) - Math.log(of - k + 1) + Math.log1p(-p) - Math.log(p);
	}
	return Math.min(1, sum);
}
