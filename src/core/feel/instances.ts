/** `instance of`: types by their names. */
import { Num } from '../value/num';
import { DayTime, LocalDate, LocalTime, Moment, YearMonth } from '../value/temporal';
import type { Value } from '../value/value';
import { Func, Range, isContext, isList } from '../value/value';

export const INSTANCE: Record<string, (v: Value) => boolean> = {
	number: (v) => v instanceof Num,
	string: (v) => typeof v === 'string',
	boolean: (v) => typeof v === 'boolean',
	date: (v) => v instanceof LocalDate,
	time: (v) => v instanceof LocalTime,
	'date and time': (v) => v instanceof Moment,
	'days and time duration': (v) => v instanceof DayTime,
	'years and months duration': (v) => v instanceof YearMonth,
	list: (v) => isList(v),
	context: (v) => isContext(v),
	function: (v) => v instanceof Func,
	Any: (v) => v !== null,
	Null: (v) => v === null
};

/** The test that `instance of` makes for a type: `list<number>` asks each item, `context<a: number>` each entry. */
export function typeTest(type: string): ((v: Value) => boolean) | null {
	const m = /^(\w+)<(.*)>$/s.exec(type);
	if (type.startsWith('function<')) return (v) => v instanceof Func;
	if (!m) return Object.hasOwn(INSTANCE, type) ? INSTANCE[type] : null;
	const [, name, inner] = m;
	if (name === 'list' || name === 'range') {
		const of = typeTest(inner);
		if (!of) return null;
		const end = (v: Value) => v === null || of(v);
		if (name === 'range') return (v) => v instanceof Range && end(v.lo) && end(v.hi);
		return (v) => isList(v) && v.every(end);
	}
	if (name !== 'context') return null;
	const entries = splitTypes(inner).map((x) => {
		const colon = x.indexOf(': ');
		return { key: x.slice(0, colon), of: typeTest(x.slice(colon + 2)) };
	});
	if (entries.some((x) => !x.of)) return null;
	return (v) =>
		isContext(v) &&
		entries.every(({ key, of }) => v.has(key) && (v.get(key) === null || of!(v.get(key)!)));
}

/** Parts `a: list<x, y>, b: z` at the commas that stand in no angle brackets. */
function splitTypes(text: string): string[] {
	const out: string[] = [];
	let depth = 0;
	let from = 0;
	for (let i = 0; i <= text.length; i++) {
		if (text[i] === '<') depth++;
		else if (text[i] === '>') depth--;
		else if (i === text.length || (text[i] === ',' && !depth)) {
			out.push(text.slice(from, i).trim());
			from = i + 1;
		}
	}
	return out;
}
