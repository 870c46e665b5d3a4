/** All SQL is in server/db: whoever looks for a query finds it there, and nowhere else. */
import { readFileSync, readdirSync } from 'node:fs';
import path from 'node:path';
import { fileURLToPath } from 'node:url';
import { expect, it } from 'vitest';

const SRC = fileURLToPath(new URL('..', import.meta.url));

it('no query stands outside server/db', () => {
	const files = readdirSync(SRC, { recursive: true, encoding: 'utf8' })
		.filter((f) => /\.(ts|svelte)$/.test(f) && !f.endsWith('.test.ts'))
		.filter((f) => !f.startsWith(path.join('server', 'db')));
	expect(files.length).toBeGreaterThan(100);
	const asking = files.filter((f) =>
		/\.query\s*(<|\()/.test(readFileSync(path.join(SRC, f), 'utf8'))
	);
	expect(asking).toEqual([]);
});
