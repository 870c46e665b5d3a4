/** Functions on lists (DMN 1.5, 10.3.4.4). */
import * as n from '../../value/num';
import { Num } from '../../value/num';
import type { Value } from '../../value/value';
import { Func, equal, isList, order, show } from '../../value/value';
import { MAX_LIST, takeFor } from '../budget';
import { times } from '../operators';
import { chapter, itemOf, likeList, likeListWanted, whole, int, numbers } from './spec';

function extreme(list: Value, sign: number): Value {
	const items = isList(list) ? list.filter((x) => x !== null) : [];
	let best: Value = null;
	for (const x of items) {
		if (best === null) best = x;
		else {
			const o = order(x, best);
			if (o === null) return null;
			if (o * sign > 0) best = x;
		}
	}
	return best;
}
function mean(items: Num[] | null): Num | null {
	if (!items?.length) return null;
	const total = items.reduce<Num | null>((a, b) => a && n.add(a, b), int(0));
	return total && n.div(total, int(items.length));
}
function index(l: Value, p: Value): number | null {
	const k = whole(p);
	if (!isList(l) || k === null || k === 0) return null;
	const i = k > 0 ? k - 1 : l.length + k;
	return i < 0 || i >= l.length ? null : i;
}
function distinct(l: readonly Value[]): Value[] {
	const out: Value[] = [];
	const seen = new Set<string>();
	for (const x of l) {
		const key = `${typeof x}:${show(x)}`;
		if (!seen.has(key)) {
			seen.add(key);
			out.push(x);
		}
	}
	return out;
}

export const LISTS_CHAPTER = chapter((def) => {
	def('min(list...: any): any', 'The least.', 'min(3, 1, 2) = 1', ([l]) => extreme(l, -1), {
		nulls: true,
		gives: itemOf
	});
	def('max(list...: any): any', 'The greatest.', 'max(3, 1, 2) = 3', ([l]) => extreme(l, 1), {
		nulls: true,
		gives: itemOf
	});
	def('count(list: list): num', 'How many items the list has.', 'count([1, 2]) = 2', ([l]) =>
		isList(l) ? int(l.length) : int(1)
	);
	def(
		'sum(list...: any): num',
		'The numbers added up; blanks are left out.',
		'sum(1, 2, 3) = 6',
		([l]) => {
			const items = numbers(l);
			return items?.length ? items.reduce<Num | null>((a, b) => a && n.add(a, b), int(0)) : null;
		},
		{ nulls: true }
	);
	def(
		'mean(list...: any): num',
		'The average; blanks are left out.',
		'mean(1, 2, 3) = 2',
		([l]) => mean(numbers(l)),
		{ nulls: true }
	);
	def(
		'product(list...: any): num',
		'The numbers multiplied.',
		'product(2, 3) = 6',
		([l]) => {
			const items = numbers(l);
			return items?.length ? items.reduce<Num | null>((a, b) => a && times(a, b), int(1)) : null;
		},
		{ nulls: true }
	);
	def(
		'median(list...: any): num',
		'The middle one, or the mean of the middle two.',
		'median(8, 2, 5) = 5',
		([l], env) => {
			for (let k = isList(l) ? l.length : 0; k > 1; k >>= 1) takeFor(env, l);
			const items = numbers(l)?.slice().sort(n.compareNum);
			if (!items?.length) return null;
			const h = items.length >> 1;
			return items.length % 2 ? items[h] : mean([items[h - 1], items[h]]);
		},
		{ nulls: true }
	);
	def(
		'stddev(list...: any): num',
		'The standard deviation of a sample.',
		'stddev(2, 4, 7, 5)',
		([l]) => {
			const items = numbers(l);
			const m = mean(items);
			if (!items || !m || items.length < 2) return null;
			let squares: Num | null = int(0);
			for (const x of items) {
				const d = n.sub(x, m);
				const sq = d && n.mul(d, d);
				squares = squares && sq && n.add(squares, sq);
			}
			const v = squares && n.div(squares, int(items.length - 1));
			return v && n.transcend(v, 'sqrt');
		},
		{ nulls: true, cost: 500 }
	);
	def(
		'mode(list...: any): nums',
		'The numbers that occur most often.',
		'mode(6, 3, 9, 6, 6) = [6]',
		([l]) => {
			const items = numbers(l);
			if (!items) return null;
			const counts = new Map<string, { x: Num; c: number }>();
			for (const x of items) {
				const e = counts.get(x.toString()) ?? { x, c: 0 };
				counts.set(x.toString(), { x, c: e.c + 1 });
			}
			const most = [...counts.values()].reduce((m, e) => Math.max(m, e.c), 0);
			return [...counts.values()]
				.filter((e) => e.c === most)
				.map((e) => e.x)
				.sort(n.compareNum);
		},
		{ nulls: true }
	);
	def(
		'list contains(list: list, element: any): bool',
		'Whether the list has the element.',
		'list contains([1, 2], 2) = true',
		([l, e]) => (isList(l) ? l.some((x) => equal(x, e) === true) : null),
		{ nulls: true }
	);
	def(
		'sublist(list: list, start position: num, [length: num]): list',
		'Part of a list, from a position on.',
		'sublist([4, 5, 6], 2) = [5, 6]',
		([l, a, c]) => {
			const start = whole(a);
			const len = c === undefined ? MAX_LIST : whole(c);
			if (!isList(l) || start === null || start === 0 || len === null || len < 0) return null;
			const from = start > 0 ? start - 1 : l.length + start;
			return from < 0 || from > l.length ? null : l.slice(from, from + len);
		},
		{ nulls: true, gives: likeList }
	);
	def(
		'append(list: list, item...: any): list',
		'The list with more items behind it.',
		'append([1], 2) = [1, 2]',
		([l, more]) => (isList(l) && isList(more) ? [...l, ...more] : null),
		{ nulls: true, whole: true, gives: likeListWanted }
	);
	def(
		'concatenate(list...: any): list',
		'The lists one behind the other.',
		'concatenate([1], [2]) = [1, 2]',
		([l]) => (isList(l) ? l.flatMap((x) => (isList(x) ? x : [x])) : null),
		{ nulls: true, whole: true, gives: likeListWanted }
	);
	def(
		'insert before(list: list, position: num, newItem: any): list',
		'The list with an item put in at a position.',
		'insert before([1, 3], 2, 2)',
		([l, p, x]) => {
			const i = index(l, p);
			return isList(l) && i !== null ? [...l.slice(0, i), x, ...l.slice(i)] : null;
		},
		{ nulls: true }
	);
	def(
		'remove(list: list, position: num): list',
		'The list without the item at a position.',
		'remove([1, 2, 3], 2) = [1, 3]',
		([l, p]) => {
			const i = index(l, p);
			return isList(l) && i !== null ? [...l.slice(0, i), ...l.slice(i + 1)] : null;
		},
		{ gives: likeList }
	);
	def(
		'list replace(list: list, position: num, newItem: any): list',
		'The list with the item at a position replaced.',
		'list replace([1, 2], 2, 5) = [1, 5]',
		([l, p, x]) => {
			if (!isList(l)) return null;
			const i = index(l, p);
			return i === null ? null : [...l.slice(0, i), x, ...l.slice(i + 1)];
		},
		{ nulls: true }
	);
	def(
		'list replace(list: list, match: fn, newItem: any): list',
		'The list with each item for which a function is true replaced.',
		'list replace([1, 2], function(item, newItem) item > newItem, 1) = [1, 1]',
		([l, f, x]) =>
			isList(l) && f instanceof Func ? l.map((v) => (f.call([v, x]) === true ? x : v)) : null,
		{ nulls: true }
	);
	def(
		'reverse(list: list): list',
		'The list from its end.',
		'reverse([1, 2]) = [2, 1]',
		([l]) => (isList(l) ? [...l].reverse() : null),
		{ gives: likeList }
	);
	def(
		'index of(list: list, match: any): nums',
		'The positions at which the element stands.',
		'index of([1, 2, 1], 1) = [1, 3]',
		([l, m]) =>
			isList(l) ? l.flatMap((x, i) => (equal(x, m) === true ? [int(i + 1)] : [])) : null,
		{ nulls: true }
	);
	def(
		'union(list...: any): list',
		'All items of the lists, each once.',
		'union([1, 2], [2, 3]) = [1, 2, 3]',
		([l]) => (isList(l) ? distinct(l.flatMap((x) => (isList(x) ? x : [x]))) : null),
		{ nulls: true, whole: true, gives: likeListWanted }
	);
	def(
		'distinct values(list: list): list',
		'Each item once.',
		'distinct values([1, 1, 2]) = [1, 2]',
		([l]) => (isList(l) ? distinct(l) : null),
		{ gives: likeList }
	);
	def(
		'flatten(list: list): list',
		'Lists within the list dissolved.',
		'flatten([[1], [[2]]]) = [1, 2]',
		([l]) => {
			const out: Value[] = [];
			const stack: Value[] = [l];
			while (stack.length) {
				const x = stack.pop()!;
				if (isList(x)) for (let i = x.length - 1; i >= 0; i--) stack.push(x[i]);
				else out.push(x);
			}
			return out;
		}
	);
	def(
		'sort(list: list, [precedes: fn]): list',
		'The list in order, or in the order a function tells.',
		'sort([3, 1, 2]) = [1, 2, 3]',
		([l, f], env) => {
			if (!isList(l)) return null;
			for (let k = l.length; k > 1; k >>= 1) takeFor(env, l);
			const by =
				f instanceof Func
					? (a: Value, b: Value) => (f.call([a, b]) === true ? -1 : f.call([b, a]) === true ? 1 : 0)
					: (a: Value, b: Value) => order(a, b) ?? 0;
			return [...l].sort(by);
		},
		{ nulls: true, gives: likeList }
	);
});
