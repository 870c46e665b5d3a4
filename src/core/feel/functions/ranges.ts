/** How points and ranges lie to each other (DMN 1.5, 10.3.4.9). */
import type { Value } from '../../value/value';
import { Range, order } from '../../value/value';
import { chapter } from './spec';

const point = (v: Value) => !(v instanceof Range) && v !== null;
function cmp(a: Value, b: Value, test: (o: number) => boolean): boolean | null {
	const o = order(a, b);
	return o === null ? null : test(o);
}
const and3 = (...xs: (boolean | null)[]) =>
	xs.includes(false) ? false : xs.includes(null) ? null : true;
const or3 = (...xs: (boolean | null)[]) =>
	xs.includes(true) ? true : xs.includes(null) ? null : false;
const lt = (a: Value, b: Value) => cmp(a, b, (o) => o < 0);
const eq = (a: Value, b: Value) => cmp(a, b, (o) => o === 0);
const inRange = (p: Value, r: Range) =>
	and3(
		r.lo === null ? true : cmp(p, r.lo, (o) => o > 0 || (o === 0 && r.loIn)),
		r.hi === null ? true : cmp(p, r.hi, (o) => o < 0 || (o === 0 && r.hiIn))
	);

function beforeAny(a: Value, b: Value): boolean | null {
	if (a instanceof Range && b instanceof Range)
		return or3(lt(a.hi, b.lo), and3(eq(a.hi, b.lo), !a.hiIn || !b.loIn));
	if (a instanceof Range) return or3(lt(a.hi, b), and3(eq(a.hi, b), !a.hiIn));
	if (b instanceof Range) return or3(lt(a, b.lo), and3(eq(a, b.lo), !b.loIn));
	return lt(a, b);
}
function includesAny(a: Value, b: Value): boolean | null {
	if (!(a instanceof Range)) return null;
	if (!(b instanceof Range)) return inRange(b, a);
	return and3(
		or3(lt(a.lo, b.lo), and3(eq(a.lo, b.lo), a.loIn || !b.loIn)),
		or3(lt(b.hi, a.hi), and3(eq(a.hi, b.hi), a.hiIn || !b.hiIn))
	);
}
function startsAny(a: Value, b: Value): boolean | null {
	if (!(b instanceof Range)) return null;
	if (!(a instanceof Range)) return and3(eq(a, b.lo), b.loIn);
	return and3(
		eq(a.lo, b.lo),
		a.loIn === b.loIn,
		or3(lt(a.hi, b.hi), and3(eq(a.hi, b.hi), !a.hiIn || b.hiIn))
	);
}
function finishesAny(a: Value, b: Value): boolean | null {
	if (!(b instanceof Range)) return null;
	if (!(a instanceof Range)) return and3(eq(a, b.hi), b.hiIn);
	return and3(
		eq(a.hi, b.hi),
		a.hiIn === b.hiIn,
		or3(lt(b.lo, a.lo), and3(eq(a.lo, b.lo), !a.loIn || b.loIn))
	);
}
const meetsAny = (a: Value, b: Value) =>
	a instanceof Range && b instanceof Range ? and3(eq(a.hi, b.lo), a.hiIn && b.loIn) : null;
const overlapsAny = (a: Value, b: Value) =>
	a instanceof Range && b instanceof Range
		? and3(not3(beforeAny(a, b)), not3(beforeAny(b, a)))
		: null;
const overlapsBefore = (a: Value, b: Value) =>
	a instanceof Range && b instanceof Range
		? and3(
				or3(lt(a.lo, b.lo), and3(eq(a.lo, b.lo), a.loIn && !b.loIn)),
				overlapsAny(a, b),
				or3(lt(a.hi, b.hi), and3(eq(a.hi, b.hi), !a.hiIn || b.hiIn))
			)
		: null;
const overlapsAfter = (a: Value, b: Value) =>
	a instanceof Range && b instanceof Range
		? and3(
				or3(lt(b.lo, a.lo), and3(eq(a.lo, b.lo), b.loIn && !a.loIn)),
				overlapsAny(a, b),
				or3(lt(b.hi, a.hi), and3(eq(a.hi, b.hi), !b.hiIn || a.hiIn))
			)
		: null;
const not3 = (x: boolean | null) => (x === null ? null : !x);

/** How they are called: by the names of their parameters in the standard. */
const POINTS = 'point1: any, point2: any';
const POINT_RANGE = 'point: any, range: any';
const RANGE_POINT = 'range: any, point: any';
const RANGES = 'range1: any, range2: any';
const CALLED: Record<string, readonly string[]> = {
	before: [POINTS, POINT_RANGE, RANGE_POINT, RANGES],
	after: [POINTS, POINT_RANGE, RANGE_POINT, RANGES],
	finishes: [POINT_RANGE, RANGES],
	'finished by': [RANGE_POINT, RANGES],
	includes: [RANGE_POINT, RANGES],
	during: [POINT_RANGE, RANGES],
	starts: [POINT_RANGE, RANGES],
	'started by': [RANGE_POINT, RANGES],
	coincides: [POINTS, RANGES]
};

const RELATIONS: [string, string, (a: Value, b: Value) => boolean | null][] = [
	['before', 'before(1, [2..5]) = true', beforeAny],
	['after', 'after([5..9], 2) = true', (a, b) => beforeAny(b, a)],
	['meets', 'meets([1..5], [5..9]) = true', meetsAny],
	['met by', 'met by([5..9], [1..5]) = true', (a, b) => meetsAny(b, a)],
	['overlaps', 'overlaps([1..5], [3..8]) = true', overlapsAny],
	['overlaps before', 'overlaps before([1..5], [3..8]) = true', overlapsBefore],
	['overlaps after', 'overlaps after([3..8], [1..5]) = true', overlapsAfter],
	['finishes', 'finishes(5, [1..5]) = true', finishesAny],
	['finished by', 'finished by([1..5], 5) = true', (a, b) => finishesAny(b, a)],
	['includes', 'includes([1..9], 5) = true', includesAny],
	['during', 'during(5, [1..9]) = true', (a, b) => includesAny(b, a)],
	['starts', 'starts(1, [1..5]) = true', startsAny],
	['started by', 'started by([1..5], 1) = true', (a, b) => startsAny(b, a)],
	[
		'coincides',
		'coincides([1..5], [1..5]) = true',
		(a, b) =>
			point(a) && point(b)
				? eq(a, b)
				: a instanceof Range && b instanceof Range
					? and3(eq(a.lo, b.lo), eq(a.hi, b.hi), a.loIn === b.loIn, a.hiIn === b.hiIn)
					: null
	]
];

export const RANGES_CHAPTER = chapter((def) => {
	for (const [name, example, call] of RELATIONS)
		for (const params of CALLED[name] ?? [RANGES])
			def(
				`${name}(${params}): bool`,
				'How two points or ranges lie to each other.',
				example,
				([a, b]) => call(a, b)
			);
});
