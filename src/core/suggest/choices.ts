/** Explanations by the options of other fields: option to option, cases of one or two fields, a start value. */
import { isNumeric } from '../document/model';
import type { JsonValue } from '../document/json';
import type { Body, CaseGives } from '../document/rules';
import { constantTree } from '../conditions/constants';
import type { Expr } from '../document/tree';
import {
	sizeOf,
	counted,
	grouped,
	isChoice,
	type Column,
	type Hypothesis,
	type Study
} from './study';

/** Fewer records say nothing about an option. */
const FEW = 3;
/** Most values that a field explained by options or cases may have. */
const MOST_VALUES = 60;
/** Most cases that anybody reads. */
const MOST_CASES = 14;

/** What holds for most records, whatever else they have. */
export function startValues(s: Study, rows: readonly number[]): Hypothesis[] {
	const [top] = counted(rows.map((r) => s.y.keys[r]).filter((k) => k !== ''));
	if (!top) return [];
	const [key] = top;
	return [
		{
			id: 'start value',
			how: 'start value',
			size: 1,
			reads: [],
			results: 1,
			gives: () => key,
			verb: 'default',
			hold: 'once',
			body: () => ({
				kind: 'formula',
				formulas: [{ expr: constantTree(s.field, s.json(key)) }]
			})
		}
	];
}

const few = (s: Study, rows: readonly number[]) =>
	s.examples.size && rows.every((r) => s.examples.has(r)) ? 1 : FEW;

/** What most records with each option have; options that too few have are left out. */
function byOption(s: Study, x: Column, rows: readonly number[]): Map<string, string> {
	const out = new Map<string, string>();
	const least = few(s, rows);
	for (const [option, at] of grouped(rows, (r) => x.keys[r]))
		if (at.length >= least) out.set(option, counted(at.map((r) => s.y.keys[r]))[0][0]);
	return out;
}

const tellsApart = (gives: ReadonlyMap<string, string>) => new Set(gives.values()).size > 1;

function fitsCases(s: Study, rows: readonly number[]): boolean {
	return new Set(rows.map((r) => s.y.keys[r])).size <= MOST_VALUES;
}

/** Each option of a field of the record gives its value. */
export function optionMaps(s: Study, rows: readonly number[]): Hypothesis[] {
	if (!fitsCases(s, rows)) return [];
	return s.columns.flatMap((x): Hypothesis[] => {
		if (!x.own || !isChoice(x.field)) return [];
		const gives = byOption(s, x, rows);
		if (!tellsApart(gives)) return [];
		return [
			{
				id: `options ${x.id}`,
				how: 'options',
				size: 1 + gives.size / 4,
				reads: [x.label],
				results: gives.size,
				gives: (r) => gives.get(x.keys[r]) ?? '',
				verb: 'map',
				body: () => mapBody(s, x, gives)
			}
		];
	});
}

function mapBody(s: Study, x: Column, gives: ReadonlyMap<string, string>): Body {
	const rows: Record<string, JsonValue[]> = {};
	const nothing: string[] = [];
	for (const [option, key] of gives) {
		if (option === '') continue;
		if (key === '') nothing.push(option);
		else rows[option] = [s.json(key)];
	}
	const blank = gives.get('');
	return {
		kind: 'options',
		input: x.own!,
		rows,
		blank: blank ? { give: [s.json(blank)] } : { none: true },
		...(nothing.length ? { nothing } : {})
	};
}

// ---- cases ------------------------------------------------------------------------------------------

interface Case {
	/** The options of each field that are meant; null for any. */
	of: [first: readonly string[] | null, second: readonly string[] | null];
	gives: string;
}

/** That a field has one of some options. */
function isOneOf(s: Study, x: Column, options: readonly string[]): Expr {
	const constant = (key: string): Expr =>
		key === ''
			? { k: 'null' }
			: constantTree(x.field, x.field.type === 'yesno' ? key === 'true' : key);
	if (options.length > 1)
		return {
			k: 'in',
			x: x.expr,
			tests: { not: false, tests: options.map((o) => ({ k: 'is', e: constant(o) })) }
		};
	if (options[0] === '') return { k: 'call', fn: 'is blank', args: [x.expr] };
	if (x.field.type === 'yesno' && options[0] === 'true') return x.expr;
	return { k: 'bin', op: '=', a: x.expr, b: constant(options[0]) };
}

/** Options in the order of their list, yes before no, blank last. */
function inOrder(s: Study, x: Column, options: Iterable<string>): string[] {
	const place = (o: string) =>
		o === ''
			? 1e9
			: x.field.list
				? (s.schema.position(x.field.list, o) ?? 1e8)
				: o === 'true'
					? 0
					: 1;
	return [...options].sort((a, b) => place(a) - place(b) || (a < b ? -1 : 1));
}

function casesBody(
	s: Study,
	xs: readonly Column[],
	cases: readonly Case[],
	then: (key: string) => CaseGives
): Body {
	return {
		kind: 'cases',
		rows: cases.map((c, i) => {
			const parts = c.of.flatMap((options, k) => (options ? [isOneOf(s, xs[k], options)] : []));
			return {
				id: `c${i + 1}`,
				when: { expr: parts.length === 1 ? parts[0] : { k: 'and', items: parts } },
				then: [then(c.gives)]
			};
		}),
		otherwise: ['nothing']
	};
}

/** The options that give the same, together; those that give nothing are left to *otherwise*. */
function together(
	s: Study,
	x: Column,
	gives: ReadonlyMap<string, string>
): [options: string[], key: string][] {
	const byResult = new Map<string, string[]>();
	for (const o of inOrder(s, x, gives.keys())) {
		const key = gives.get(o)!;
		if (key !== '') byResult.set(key, [...(byResult.get(key) ?? []), o]);
	}
	return [...byResult].map(([key, options]) => [options, key]);
}

/** Whether the options of one field can be told by a list; blank has no place in one. */
const listable = (options: readonly string[]) => options.length === 1 || !options.includes('');

/** A case for each result that the options of a field give. */
const casesOf = (s: Study, x: Column, gives: ReadonlyMap<string, string>): Case[] =>
	together(s, x, gives).flatMap(([o, key]) =>
		(listable(o) ? [o] : o.map((one) => [one])).map((options): Case => ({
			of: [options, null],
			gives: key
		}))
	);

function makeCases(
	s: Study,
	how: string,
	xs: readonly Column[],
	cases: readonly Case[],
	reads: readonly string[],
	then: (key: string) => CaseGives,
	gives: (key: string, row: number) => string
): Hypothesis[] {
	if (!cases.length || cases.length > MOST_CASES) return [];
	const found = new Map<string, string>();
	const first = (row: number) => {
		const keys = xs.map((x) => x.keys[row]);
		const at = keys.join('\u0000');
		const had = found.get(at);
		if (had !== undefined) return had;
		const hit = cases.find((c) => c.of.every((o, k) => !o || o.includes(keys[k])));
		found.set(at, hit?.gives ?? '');
		return hit?.gives ?? '';
	};
	return [
		{
			id: `${how} ${xs.map((x) => x.id).join(' × ')}`,
			how: 'cases',
			size: 1 + xs.length / 2 + cases.length / 4,
			reads,
			results: cases.length,
			gives: (r) => gives(first(r), r),
			verb: 'derive',
			body: () => casesBody(s, xs, cases, then)
		}
	];
}

/** Cases of one field behind a link, and of two fields together. */
export function caseLists(s: Study, rows: readonly number[]): Hypothesis[] {
	if (!fitsCases(s, rows)) return [];
	const constant = (key: string): CaseGives => ({ expr: constantTree(s.field, s.json(key)) });
	const xs = s.columns.filter((x) => isChoice(x.field));
	const alone = new Map(xs.map((x) => [x, byOption(s, x, rows)]));
	const right = new Map(
		xs.map((x) => [x, hits(s, rows, (r) => alone.get(x)!.get(x.keys[r]) ?? '')])
	);
	const out = xs
		.filter((x) => !x.own && tellsApart(alone.get(x)!))
		.flatMap((x) => {
			const cases = casesOf(s, x, alone.get(x)!);
			return makeCases(s, 'cases', [x], cases, [x.label], constant, (k) => k);
		});
	const worth = Math.max(few(s, rows), rows.length / 50);
	xs.forEach((a, i) => {
		for (const b of xs.slice(i + 1)) {
			if (a.own === null && b.own === null) continue;
			const cases = pairCases(s, a, b, rows);
			if (!cases) continue;
			const made = makeCases(s, 'cases', [a, b], cases, [a.label, b.label], constant, (k) => k);
			for (const h of made)
				if (hits(s, rows, h.gives) >= Math.max(right.get(a)!, right.get(b)!) + worth) out.push(h);
		}
	});
	return out;
}

const hits = (s: Study, rows: readonly number[], gives: (r: number) => string) =>
	rows.reduce((n, r) => n + (gives(r) === s.y.keys[r] ? 1 : 0), 0);

/** A case for each option of the first field, parted by the second where that makes a difference. */
function pairCases(s: Study, a: Column, b: Column, rows: readonly number[]): Case[] | null {
	const cases: Case[] = [];
	const groups = grouped(rows, (r) => a.keys[r]);
	for (const option of inOrder(s, a, groups.keys())) {
		const gives = byOption(s, b, groups.get(option)!);
		if (!gives.size) continue;
		if (!tellsApart(gives)) {
			const [key] = gives.values();
			if (key !== '') cases.push({ of: [[option], null], gives: key });
			continue;
		}
		for (const [options, key] of together(s, b, gives))
			for (const o of listable(options) ? [options] : options.map((one) => [one]))
				cases.push({ of: [[option], o], gives: key });
		if (cases.length > MOST_CASES) return null;
	}
	return cases;
}

/** A number times what each option stands for: an area times a rate. */
export function rates(s: Study, rows: readonly number[]): Hypothesis[] {
	if (!isNumeric(s.field)) return [];
	const out: Hypothesis[] = [];
	const y = s.y.values.map(sizeOf);
	const digits = s.field.type === 'money' ? 2 : (s.field.places ?? 6);
	const rounded = (n: number) => String(Number(n.toFixed(digits)));
	for (const a of s.columns.filter((c) => isNumeric(c.field))) {
		const n = a.values.map(sizeOf);
		for (const x of s.columns.filter((c) => isChoice(c.field))) {
			const factors = new Map<string, string>();
			for (const [option, at] of grouped(rows, (r) => x.keys[r])) {
				const both = at.filter((r) => y[r] && n[r]);
				if (both.length < few(s, rows) || both.length * 2 < at.length) continue;
				const [top] = counted(both.map((r) => String(Number((y[r] / n[r]).toPrecision(6)))));
				if (top[1] * 2 > both.length) factors.set(option, top[0]);
			}
			if (factors.size < 2 || new Set(factors.values()).size < 2) continue;
			const cases = casesOf(s, x, factors);
			const times = (k: string): CaseGives => ({
				expr: { k: 'bin', op: '*', a: a.expr, b: constantTree({ type: 'number' }, k) }
			});
			const gives = (k: string, r: number) =>
				k === '' || Number.isNaN(n[r]) ? '' : rounded(n[r] * Number(k));
			out.push(...makeCases(s, `rates ${a.id}`, [x], cases, [a.label, x.label], times, gives));
		}
	}
	return out;
}
