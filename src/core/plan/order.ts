/** Puts keys in an order in which each comes behind what it depends on. */

/**
 * @param keys in the order to prefer where nothing decides
 * @param sources what a key depends on; names that are no keys are left aside
 * @returns the keys in order, and one cycle when there is any: the keys of cycles, and what hangs on them, are then left out
 */
export function topologicalOrder(
	keys: readonly string[],
	sources: (key: string) => Iterable<string>
): { sorted: string[]; cycle: string[] | null } {
	const known = new Set(keys);
	const state = new Map<string, 'open' | 'done' | 'stuck'>();
	const sorted: string[] = [];
	let cycle: string[] | null = null;
	for (const root of keys) {
		if (state.has(root)) continue;
		// an explicit stack: chains of rules may be long
		const stack: { key: string; rest: Iterator<string>; stuck: boolean }[] = [];
		const open = (key: string) => {
			state.set(key, 'open');
			stack.push({ key, rest: sources(key)[Symbol.iterator](), stuck: false });
		};
		open(root);
		while (stack.length) {
			const top = stack[stack.length - 1];
			const next = top.rest.next();
			if (!next.done) {
				if (!known.has(next.value)) continue;
				const s = state.get(next.value);
				if (s === undefined) open(next.value);
				else if (s === 'stuck') top.stuck = true;
				else if (s === 'open') {
					const from = stack.findIndex((f) => f.key === next.value);
					// told in the direction in which values flow
					cycle ??= stack
						.slice(from)
						.map((f) => f.key)
						.reverse();
					for (let i = from; i < stack.length; i++) stack[i].stuck = true;
				}
				continue;
			}
			stack.pop();
			state.set(top.key, top.stuck ? 'stuck' : 'done');
			if (!top.stuck) sorted.push(top.key);
			else if (stack.length) stack[stack.length - 1].stuck = true;
		}
	}
	return { sorted, cycle };
}
