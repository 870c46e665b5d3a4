/** The table of routes against the routes there are, and against what the docs say of it. */
import { readFileSync, readdirSync, writeFileSync } from 'node:fs';
import { expect, it } from 'vitest';
import { RIGHTS, ROLES, may, type Right } from '../../door/rights';
import { ROUTES, doingOf } from './routes';

const FOLDER = new URL('../../routes/', import.meta.url);

/** What the files of a route do: methods, and actions of pages. */
function done(): string[] {
	const out: string[] = [];
	for (const file of readdirSync(FOLDER, { recursive: true, encoding: 'utf8' })) {
		const [, dir, name] =
			/^(?:(.*)\/)?\+(page\.svelte|page\.ts|server\.ts|page\.server\.ts)$/.exec(file) ?? [];
		if (!name) continue;
		const route = `/${dir ?? ''}`;
		const text = readFileSync(new URL(file, FOLDER), 'utf8');
		if (name === 'server.ts')
			for (const [, method] of text.matchAll(/^export const (GET|POST|PUT|PATCH|DELETE)\b/gm))
				out.push(`${method} ${route}`);
		else out.push(`GET ${route}`);
		if (name !== 'page.server.ts') continue;
		const actions = text.slice(text.indexOf('export const actions'));
		if (!text.includes('export const actions')) continue;
		for (const [, action] of actions.matchAll(/^\t(\w+): (?:formAction|async|beginning)\b/gm))
			out.push(`POST${action === 'default' ? '' : ` ?/${action}`} ${route}`);
	}
	return [...new Set(out)].sort();
}

it('has a line for every doing of every route, and no other', () => {
	const lines = Object.entries(ROUTES).flatMap(([route, doings]) =>
		Object.keys(doings).map((key) => `${key} ${route}`)
	);
	expect(lines.sort()).toEqual(done());
});

it('finds the line of a request, by the action of a page too; nothing for what it does not know', () => {
	const at = (route: string | null, method: string, query = '') =>
		doingOf(route, method, new URLSearchParams(query))?.asks ?? null;
	expect(at('/draft', 'PATCH')).toBe('write');
	expect(at('/(app)/people', 'POST', '/add')).toBe('people');
	expect(at('/(app)/people', 'POST', 'x=1&/retire=')).toBe('people');
	expect(at('/(app)/people', 'POST', '/nothing')).toBeNull();
	expect(at('/(app)/people', 'POST')).toBeNull();
	expect(at('/(app)/people', 'HEAD')).toBe('look');
	expect(at('/draft', 'constructor')).toBeNull();
	expect(at('/draft', 'GET')).toBeNull();
	expect(at('/nowhere', 'GET')).toBeNull();
	expect(at(null, 'GET')).toBeNull();
});

it('is what docs/routes.md says (RIGID_DOCS=write writes it)', () => {
	const cell = (x: string) => x.replace(/\|/g, '\\|');
	const rights = [
		`| Right | What it lets one do | ${ROLES.join(' | ')} |`,
		`| --- | --- | ${ROLES.map(() => ':-:').join(' | ')} |`,
		...Object.entries(RIGHTS).map(
			([r, says]) =>
				`| ${r} | ${says} | ${ROLES.map((x) => (may(x, r as Right) ? '✓' : '')).join(' | ')} |`
		)
	];
	const routes = Object.entries(ROUTES).flatMap(([route, doings]) =>
		Object.entries(doings).map(([key, d]) => {
			const [method, action = ''] = key.split(' ');
			const path = route.replace('/(app)', '') || '/';
			return `| ${method} | \`${path}${action}\` | ${d.asks} | ${cell(d.does)} |`;
		})
	);
	const text = [
		'# Who may do what',
		'',
		'Made of `src/door/rights.ts` and `src/server/http/routes.ts`; a test holds this page to them. The hook',
		'looks a request up here before anything of it is read; `service/rights.test.ts` tries every role at every line.',
		'*anyone* needs no sign-in, *self* is whoever is signed in, for what is theirs.',
		'',
		'## Roles',
		'',
		...rights,
		'',
		'## Addresses',
		'',
		'| Method | Address | Right | What it does |',
		'| --- | --- | --- | --- |',
		...routes,
		''
	].join('\n');
	const file = new URL('../../../docs/routes.md', import.meta.url);
	if (process.env.RIGID_DOCS === 'write') writeFileSync(file, text);
	const squeezed = (s: string) =>
		s
			.replace(/ +/g, ' ')
			.replace(/-+/g, '-')
			.replace(/:-:|- -/g, '-');
	expect(squeezed(readFileSync(file, 'utf8')).replace(/\*(\w+)\*|_(\w+)_/g, '$1$2')).toBe(
		squeezed(text).replace(/\*(\w+)\*|_(\w+)_/g, '$1$2')
	);
});
