/** Functions on contexts (DMN 1.5, 10.3.4.10). */
import type { Value } from '../../value/value';
import { isContext, isList } from '../../value/value';
import { chapter } from './spec';

function putPath(m: Value, keys: readonly Value[], v: Value): Value {
	const [first, ...rest] = keys;
	if (!isContext(m) || typeof first !== 'string' || keys.length > 100) return null;
	const inner = rest.length ? putPath(m.get(first) ?? null, rest, v) : v;
	return rest.length && inner === null ? null : new Map([...m, [first, inner]]);
}

export const CONTEXTS_CHAPTER = chapter((def) => {
	def(
		'get value(m: any, key: text): any',
		'The entry of a context.',
		'get value({a: 1}, "a") = 1',
		([m, k]) => (isContext(m) ? (m.get(k as string) ?? null) : null)
	);
	def(
		'get entries(m: any): list',
		'The entries of a context as a list of key and value.',
		'get entries({a: 1})',
		([m]) =>
			isContext(m)
				? [...m].map(
						([k, v]) =>
							new Map<string, Value>([
								['key', k],
								['value', v]
							])
					)
				: null
	);

	def(
		'context(entries: list): any',
		'A context from a list of key and value.',
		'get value(context([{key: "a", value: 1}]), "a") = 1',
		([l]) => {
			const out = new Map<string, Value>();
			for (const e of isList(l) ? l : [l]) {
				const [k, v] = isContext(e) ? [e.get('key'), e.get('value')] : [];
				if (typeof k !== 'string' || v === undefined || out.has(k)) return null;
				out.set(k, v);
			}
			return out;
		}
	);
	def(
		'context put(context: any, key: text, value: any): any',
		'The context with one entry set.',
		'get value(context put({a: 1}, "b", 2), "b") = 2',
		([m, k, v]) => (isContext(m) && typeof k === 'string' ? new Map([...m, [k, v ?? null]]) : null),
		{ nulls: true }
	);
	def(
		'context put(context: any, keys: texts, value: any): any',
		'The context with one entry set, down a path of keys.',
		'get value(get value(context put({a: {b: 1}}, ["a", "b"], 2), "a"), "b") = 2',
		([m, keys, v]) => (isList(keys) && keys.length ? putPath(m, keys, v ?? null) : null),
		{ nulls: true }
	);
	def(
		'context merge(contexts: list): any',
		'The contexts put into one; later entries win.',
		'get value(context merge([{a: 1}, {a: 2}]), "a") = 2',
		([l]) => (isList(l) && l.every(isContext) ? new Map(l.flatMap((m) => [...m])) : null)
	);
});
