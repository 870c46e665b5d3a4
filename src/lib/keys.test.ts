/** Entries of a list are not told apart by words: two that say the same would end the page that shows them. */
import { readFileSync, readdirSync } from 'node:fs';
import path from 'node:path';
import { fileURLToPath } from 'node:url';
import { expect, it } from 'vitest';

const SRC = fileURLToPath(new URL('..', import.meta.url));
/** What people write, rules say, or is put together of it. */
const WORDS = /^\w+(\.\w+)*\.(name|label|title|message|text|because|to|says)$/;
/** Lists that have each word once by how they are made: groups by their names, and constants. */
const ONCE = [
	'groups as g (g.name)',
	'filters as f (f.label)',
	'Object.values(MARKS) as m (m.says)',
	'versions as v, i (v.name)',
	'as group (group.label)'
];

it('no list is keyed by words that may be there twice', () => {
	const files = readdirSync(SRC, { recursive: true, encoding: 'utf8' }).filter((f) =>
		f.endsWith('.svelte')
	);
	const keyed = files.flatMap((f) =>
		[...readFileSync(path.join(SRC, f), 'utf8').matchAll(/\{#each ([^\n]*\(([^\n]*)\))\}/g)].map(
			([, each, rest]) => ({ f, each, key: rest.slice(rest.lastIndexOf('(') + 1) })
		)
	);
	expect(keyed.length).toBeGreaterThan(150);
	const byWords = keyed.filter(
		({ each, key }) => WORDS.test(key) && !ONCE.some((o) => each.endsWith(o))
	);
	expect(byWords).toEqual([]);
});
