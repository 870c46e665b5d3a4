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
export function signTest(better: number, worse: number): number {
	const n = better + worse;
	if (n === 0) return 1;
	// log of (n over k) / 2^n, from the last term down
	let term = -n * Math.LN2;
	let sum = 0;
	for (let k = n; k >= better; k--) {
		sum += Math.exp(term);
		// (n over k-1) = (n over k) * k / (n - k + 1)
		if (k > 0) term += Math.log(k) - Math.log(n - k + 1);
	}
	return Math.min(1, sum);
}
