/** What is to settle is handed out in the order of the plan, once, while more is added. */
import fc from 'fast-check';
import { expect, it } from 'vitest';
import { Due } from './due';

const place = fc.tuple(fc.nat(40), fc.nat(6));

it('hands out in order what was added, each once, and nothing that comes too late', () => {
	fc.assert(
		fc.property(
			fc.array(place, { maxLength: 60 }),
			fc.array(fc.array(place, { maxLength: 4 }), { maxLength: 60 }),
			(first, later) => {
				const due = new Due();
				// the same by a set that is searched anew each time
				const left = new Set<number>();
				let over = -1;
				const add = ([n, r]: [number, number]) => {
					due.add(n, r);
					if (n * 100 + r > over) left.add(n * 100 + r);
				};
				first.forEach(add);
				for (let i = 0; due.next(); i++) {
					const least = Math.min(...left);
					expect(due.node * 100 + due.record).toBe(least);
					left.delete(least);
					over = least;
					later.at(i)?.forEach(add);
				}
				expect([...left]).toEqual([]);
			}
		)
	);
});
