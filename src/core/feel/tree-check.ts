/** Checks that JSON from outside is a formula tree, before anything walks it. */
import { MAX_DEPTH, MAX_SOURCE } from './parse';

const NODES: Record<
	string,
	{
		[key: string]:
			| 'text'
			| 'text?'
			| 'bool'
			| 'expr'
			| 'expr?'
			| 'exprs'
			| 'texts'
			| 'texts?'
			| 'tests'
			| 'its'
			| 'entries';
	}
> = {
	num: { v: 'text' },
	text: { v: 'text' },
	bool: { v: 'bool' },
	null: {},
	hole: { v: 'text?' },
	at: { v: 'text' },
	option: { list: 'text', option: 'text' },
	field: { image: 'text', type: 'text', field: 'text' },
	through: { of: 'expr', type: 'text', field: 'text' },
	related: { of: 'expr?', type: 'text', field: 'text' },
	record: { type: 'text', id: 'text' },
	env: { name: 'text' },
	var: { name: 'text' },
	path: { of: 'expr', name: 'text' },
	neg: { a: 'expr' },
	bin: { op: 'text', a: 'expr', b: 'expr' },
	and: { items: 'exprs' },
	or: { items: 'exprs' },
	between: { x: 'expr', lo: 'expr', hi: 'expr' },
	in: { x: 'expr', tests: 'tests' },
	if: { c: 'expr', t: 'expr', e: 'expr' },
	for: { its: 'its', body: 'expr' },
	some: { its: 'its', body: 'expr' },
	every: { its: 'its', body: 'expr' },
	list: { items: 'exprs' },
	context: { entries: 'entries' },
	range: { lo: 'expr?', loIn: 'bool', hi: 'expr?', hiIn: 'bool' },
	filter: { of: 'expr', by: 'expr' },
	call: { fn: 'text', args: 'exprs', names: 'texts?' },
	use: { definition: 'text', args: 'exprs' },
	apply: { of: 'expr', args: 'exprs', names: 'texts?' },
	fn: { params: 'texts', types: 'texts?', body: 'expr' },
	instance: { x: 'expr', type: 'text' }
};
const CHOICES: Record<string, readonly string[]> = {
	image: ['settled', 'was', 'sent'],
	op: ['+', '-', '*', '/', '**', '=', '!=', '<', '<=', '>', '>=']
};
const ENV = ['now', 'today', 'person', 'entry point'];

const object = (x: unknown): x is Record<string, unknown> =>
	typeof x === 'object' && x !== null && !Array.isArray(x);
const texts = (x: unknown) => Array.isArray(x) && x.every((s) => typeof s === 'string');

/** Whether a JSON value is a formula tree: known nodes, no deeper and no larger than the parser would make. */
export function isTree(json: unknown): boolean {
	let left = 50_000;
	const all = (x: unknown, f: (y: unknown) => boolean) => Array.isArray(x) && x.every(f);
	const test = (depth: number) => (t: unknown) =>
		object(t) &&
		(t.k === 'any' ||
			((t.k === 'is' || (t.k === 'cmp' && CHOICES.op.includes(t.op as string))) &&
				node(t.e, depth)));
	const node = (x: unknown, depth: number): boolean => {
		if (!object(x) || typeof x.k !== 'string' || depth > MAX_DEPTH * 3 || --left < 0) return false;
		const shape = Object.hasOwn(NODES, x.k) ? NODES[x.k] : null;
		if (!shape) return false;
		if (x.k === 'record' && !/^\d{1,18}$/.test(String(x.id))) return false;
		if (x.k === 'env' && !ENV.includes(x.name as string)) return false;
		const deeper = depth + 1;
		return Object.entries(shape).every(([key, what]) => {
			const v = x[key];
			switch (what) {
				case 'text':
					return typeof v === 'string' && (!(key in CHOICES) || CHOICES[key].includes(v));
				case 'text?':
					return v === undefined || (typeof v === 'string' && v.length <= MAX_SOURCE);
				case 'bool':
					return typeof v === 'boolean';
				case 'expr':
					return node(v, deeper);
				case 'expr?':
					return v === null || node(v, deeper);
				case 'exprs':
					return all(v, (y) => node(y, deeper));
				case 'texts':
					return texts(v);
				case 'texts?':
					return v === undefined || texts(v);
				case 'tests':
					return object(v) && typeof v.not === 'boolean' && all(v.tests, test(deeper));
				case 'its':
					return all(
						v,
						(i) =>
							object(i) &&
							typeof i.name === 'string' &&
							node(i.of, deeper) &&
							(i.to === null || node(i.to, deeper))
					);
				case 'entries':
					return all(v, (e) => object(e) && typeof e.key === 'string' && node(e.e, deeper));
			}
		});
	};
	return node(json, 0);
}
