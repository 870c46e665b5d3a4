/** Explanations by what stands in other fields: copies, parts of texts, texts put together, rows of tables, matching records. */
import { isNumeric, type Field } from '../document/model';
import type { MatchHow } from '../document/rules';
import type { Expr, Template } from '../document/tree';
import { typeOfField } from '../feel/types';
import { matchHows, matchKey } from '../fields/match';
import { indexTable } from '../tables/reference';
import { properCase, squeeze, wordsIn } from '../text/clean';
import { joinPieces } from '../text/compose';
import { splitText } from '../text/split';
import type { Value } from '../value/value';
import {
	counted,
	isText,
	keyOf,
	sameKind,
	type Column,
	type Hypothesis,
	type Study
} from './study';

const call = (fn: string, ...args: Expr[]): Expr => ({ k: 'call', fn, args });
const text = (v: string): Expr => ({ k: 'text', v });

const formula = (expr: Expr): ReturnType<Hypothesis['body']> => ({
	kind: 'formula',
	formulas: [{ expr }],
	blank: { none: true }
});

// ---- copies -----------------------------------------------------------------------------------------

/** What may be done to a text that is copied, as the functions of the language do it. */
const CLEANED: readonly { fn: string; run: (s: string) => string }[] = [
	{ fn: 'squeeze', run: squeeze },
	{ fn: 'lower case', run: (s) => s.toLowerCase() },
	{ fn: 'upper case', run: (s) => s.toUpperCase() },
	{ fn: 'proper case', run: properCase }
];

/** The value of another field, as it is or cleaned. */
export function copies(s: Study): Hypothesis[] {
	return [...s.columns, ...s.derived].flatMap((c): Hypothesis[] => {
		if (!sameKind(c.field, s.field)) return [];
		const copy = (
			id: string,
			size: number,
			expr: Expr,
			gives: (r: number) => string
		): Hypothesis => ({
			id: `copy ${id} ${c.id}`,
			how: 'copy',
			size,
			reads: [c.label],
			gives,
			verb: 'derive',
			body: () => formula(expr)
		});
		const far = c.own ? 0 : 0.2;
		const plain = copy('as it is', 1 + far, c.expr, (r) => c.keys[r]);
		if (!isText(s.field) || !isText(c.field)) return [plain];
		const cleaned = CLEANED.map(({ fn, run }) => {
			const keys = c.keys.map(run);
			return copy(fn, 1.5 + far, call(fn, c.expr), (r) => keys[r]);
		});
		return [plain, ...cleaned];
	});
}

// ---- parts ------------------------------------------------------------------------------------------

const SEPARATORS = ['-', '@', '/', '.', ',', ':', '_', ';'];

/** A part of a text: its first or last word, what stands before or behind a sign, its first characters. */
export function parts(s: Study, rows: readonly number[]): Hypothesis[] {
	if (!isText(s.field)) return [];
	return s.columns
		.filter((c) => isText(c.field))
		.flatMap((c) => [
			...wordParts(s, c, rows),
			...signParts(s, c, rows),
			...beginnings(s, c, rows)
		]);
}

function part(
	c: Column,
	id: string,
	size: number,
	expr: Expr,
	run: (t: string) => string | null
): Hypothesis {
	const keys = c.keys.map((k) => (k === '' ? '' : (run(k)?.trim() ?? '')));
	return {
		id: `part ${id} ${c.id}`,
		how: 'part',
		size,
		reads: [c.label],
		gives: (r) => keys[r],
		verb: 'derive',
		body: () => formula(expr)
	};
}

/** Names and the like: parted at white space into two fields, where a second field holds the other part. */
function wordParts(s: Study, c: Column, rows: readonly number[]): Hypothesis[] {
	const out: Hypothesis[] = [];
	for (const at of ['first', 'last'] as const)
		for (const mine of [0, 1] as const) {
			const halves = (alone: number) =>
				c.keys.map((k) =>
					k === '' ? [null, null] : splitText(k, { at, separator: '', alone }, 2)
				);
			const other = 1 - mine;
			const [byFirst, byLast] = [halves(0), halves(1)];
			const fits = (h: (string | null)[][], keys: readonly string[], i: number) =>
				rows.reduce((n, r) => n + ((h[r][i] ?? '') === keys[r] ? 1 : 0), 0);
			const alone = fits(byFirst, s.y.keys, mine) >= fits(byLast, s.y.keys, mine) ? 0 : 1;
			const split = alone ? byLast : byFirst;
			const second = s.columns.find(
				(d) =>
					d.own &&
					d !== c &&
					d.field.type === 'text' &&
					fits(split, d.keys, other) * 2 > rows.length
			);
			if (!second || s.field.type !== 'text') continue;
			out.push({
				id: `split ${at} ${mine} ${c.id}`,
				how: 'part',
				size: 1.4,
				reads: [c.label],
				gives: (r) => split[r][mine] ?? '',
				verb: 'derive',
				// the field itself comes first among the outputs, where it takes the first part
				...(mine === 0 ? { second: second.own! } : { before: second.own! }),
				body: () => ({ kind: 'split', input: { expr: c.expr }, at, separator: '', alone })
			});
		}
	const squeezed = call('squeeze', c.expr);
	const words = (t: string) => t.trim().split(/\s+/u);
	return [
		...out,
		part(
			c,
			'first word',
			1.6,
			{ k: 'filter', of: call('words', c.expr), by: { k: 'num', v: '1' } },
			(t) => wordsIn(t)[0] ?? null
		),
		part(
			c,
			'last word',
			1.6,
			{ k: 'filter', of: call('words', c.expr), by: { k: 'neg', a: { k: 'num', v: '1' } } },
			(t) => wordsIn(t).at(-1) ?? null
		),
		part(c, 'behind the first word', 1.7, call('substring after', squeezed, text(' ')), (t) =>
			words(t).slice(1).join(' ')
		)
	];
}

function signParts(s: Study, c: Column, rows: readonly number[]): Hypothesis[] {
	return SEPARATORS.flatMap((sign) => {
		if (
			rows.filter((r) => c.keys[r].includes(sign)).length * 5 <
			rows.filter((r) => c.keys[r]).length
		)
			return [];
		const after = (t: string) => (t.includes(sign) ? t.slice(t.indexOf(sign) + 1) : '');
		return [
			part(c, `before ${sign}`, 1.6, call('substring before', c.expr, text(sign)), (t) =>
				t.includes(sign) ? t.slice(0, t.indexOf(sign)) : ''
			),
			part(c, `behind ${sign}`, 1.6, call('substring after', c.expr, text(sign)), after)
		];
	});
}

function beginnings(s: Study, c: Column, rows: readonly number[]): Hypothesis[] {
	const [length] = counted(rows.flatMap((r) => (s.y.keys[r] ? [String(s.y.keys[r].length)] : [])));
	const n = Number(length?.[0] ?? 0);
	if (n < 1 || n > 10) return [];
	const first: Expr = { k: 'num', v: '1' };
	return [
		part(c, `first ${n}`, 1.6, call('substring', c.expr, first, { k: 'num', v: String(n) }), (t) =>
			t.slice(0, n)
		)
	];
}

// ---- texts put together -----------------------------------------------------------------------------

/** How a field may stand in a text. */
interface Token {
	column: Column;
	expr: Expr;
	texts: readonly string[];
	size: number;
}

function tokensOf(s: Study): Token[] {
	const out: Token[] = [];
	for (const c of [...s.columns, ...s.derived]) {
		const far = c.own ? 0 : 0.1;
		if (isText(c.field) || isNumeric(c.field))
			out.push({ column: c, expr: c.expr, texts: c.keys, size: far });
		if (c.field.type !== 'choice') continue;
		const labels = c.keys.map((k) => (k ? (s.schema.option(c.field.list!, k)?.label ?? '') : ''));
		out.push({ column: c, expr: c.expr, texts: labels, size: far });
		out.push({
			column: c,
			expr: call('lower case', call('string', c.expr)),
			texts: labels.map((l) => l.toLowerCase()),
			size: far + 0.3
		});
	}
	return out;
}

/** How many records are read closely to find out how a text is made. */
const CLOSELY = 80;
const SLOT = '\u0000';

/** Fields with words and signs between them. */
export function composedTexts(s: Study, rows: readonly number[]): Hypothesis[] {
	if (s.field.type !== 'text') return [];
	const tokens = tokensOf(s);
	const given = rows.filter((r) => s.y.keys[r] !== '').slice(0, CLOSELY);
	const shapes = new Map<string, { count: number; slots: Map<Token, number>[] }>();
	for (const r of given) {
		const { shape, slots } = shapeOf(s.y.keys[r], r, tokens);
		if (!slots.length || shape.length > 200) continue;
		const had = shapes.get(shape) ?? { count: 0, slots: slots.map(() => new Map<Token, number>()) };
		had.count++;
		slots.forEach((fits, i) => {
			for (const t of fits) had.slots[i].set(t, (had.slots[i].get(t) ?? 0) + 1);
		});
		shapes.set(shape, had);
	}
	return [...shapes]
		.filter(([shape]) => shape !== SLOT)
		.sort(([, a], [, b]) => b.count - a.count)
		.slice(0, 3)
		.map(([shape, { slots }]) => {
			const chosen = slots.map(
				(fits) => [...fits].sort(([a, n], [b, m]) => m - n || a.size - b.size)[0][0]
			);
			const fixed = shape.split(SLOT);
			const gives = (r: number) =>
				joinPieces(
					fixed.flatMap((f, i) => [
						...(f ? [{ fixed: f }] : []),
						...(i < chosen.length ? [{ value: chosen[i].texts[r] || null }] : [])
					])
				) ?? '';
			const template: Template = fixed.flatMap((f, i) => [
				...(f ? [f] : []),
				...(i < chosen.length ? [{ expr: chosen[i].expr }] : [])
			]);
			return {
				id: `text ${fixed.join('…')} ${chosen.map((t) => t.column.id).join(', ')}`,
				how: 'text' as const,
				size: 1 + chosen.reduce((n, t) => n + 0.4 + t.size, 0),
				reads: [...new Set(chosen.map((t) => t.column.label))],
				gives,
				verb: 'derive' as const,
				body: () => ({ kind: 'compose' as const, texts: [template], blanks: 'leave out' as const })
			};
		});
}

/** A text as fixed parts and slots, with the fields that could have filled each; the longest field first. */
function shapeOf(y: string, r: number, tokens: readonly Token[]) {
	const here = tokens.filter((t) => t.texts[r].length > (isNumeric(t.column.field) ? 0 : 1));
	let shape = '';
	const slots: Token[][] = [];
	for (let at = 0; at < y.length;) {
		const fits = here.filter(
			(t) => y.startsWith(t.texts[r], at) && wholeWord(y, at, t.texts[r].length)
		);
		const length = Math.max(0, ...fits.map((t) => t.texts[r].length));
		if (!length) shape += y[at++];
		else {
			shape += SLOT;
			slots.push(fits.filter((t) => t.texts[r].length === length));
			at += length;
		}
	}
	return { shape, slots };
}

/** Whether a stretch of a text does not begin or end within a word or number. */
function wholeWord(y: string, at: number, length: number): boolean {
	const alike = (a: string | undefined, b: string | undefined) =>
		!!a && !!b && ((/\d/.test(a) && /\d/.test(b)) || (/\p{L}/u.test(a) && /\p{L}/u.test(b)));
	return !alike(y[at - 1], y[at]) && !alike(y[at + length - 1], y[at + length]);
}

// ---- tables and matching records --------------------------------------------------------------------

/** Most ways in which the keys of one table are tried. */
const MOST_KEYS = 60;

/** The row of a reference table. */
export function tableRows(s: Study): Hypothesis[] {
	return [...s.schema.tables.values()].flatMap((table) => {
		const index = indexTable(table, s.schema);
		if (index.faults.length || !table.keys.length) return [];
		const column = (id: string) => table.columns.find((c) => c.id === id)!;
		const asked = table.keys.map((k) => column(k.match === 'range' ? k.from : k.column));
		const named = new Set(
			table.keys.flatMap((k) => (k.match === 'range' ? [k.from, k.to] : [k.column]))
		);
		const inputs = asked.map((k) =>
			s.columns
				.filter((c) => sameKind(c.field, k))
				// what is called like the key is meant most likely
				.sort((a, b) => alike(b, k.label) - alike(a, k.label))
				.slice(0, 12)
		);
		const combined = inputs
			.reduce<Column[][]>((all, xs) => all.flatMap((a) => xs.map((x) => [...a, x])), [[]])
			.slice(0, MOST_KEYS);
		return combined.flatMap((keys) => {
			const found = s.records.map((_, r) => index.find(keys.map((c) => c.values[r])));
			return table.columns
				.map((c, i) => ({ c, i }))
				.filter(({ c }) => !named.has(c.id) && fitsField(c, s.field))
				.map(({ c, i }): Hypothesis => ({
					id: `table ${table.id} ${keys.map((k) => k.id).join(', ')} ${c.id}`,
					how: 'table',
					size: 1 + keys.length / 4,
					reads: [`${table.label} › ${c.label}`, ...keys.map((k) => k.label)],
					gives: (r) => (found[r].length === 1 ? keyOf(index.value(found[r][0], i)) : ''),
					verb: 'map',
					body: () => ({
						kind: 'lookup',
						table: table.id,
						keys: keys.map((k) => ({ expr: k.expr })),
						columns: [c.id],
						several: 'no result'
					})
				}));
		});
	});
}

const alike = (c: Column, label: string) =>
	c.field.label.toLowerCase() === label.toLowerCase() ? 1 : 0;

const fitsField = (c: Pick<Field, 'type' | 'list' | 'target'>, f: Field) =>
	sameKind(c, f) && JSON.stringify(typeOfField(c)) === JSON.stringify(typeOfField(f));

/** The record whose field has what stands in a text. */
export function matchingRecords(
	s: Study,
	all: (type: string) => Iterable<{ id: string; values: readonly Value[] }>
): Hypothesis[] {
	if (s.field.type !== 'link') return [];
	const target = s.schema.type(s.field.target!);
	return target.type.fields
		.filter((f) => !f.retired && isText(f))
		.flatMap((f) =>
			matchHows(f)
				.filter((how) => how !== 'exact')
				.flatMap((how) => {
					const at = target.at.get(f.id)!;
					const index = new Map<string, string[]>();
					for (const r of all(target.type.id)) {
						const key = matchKey(how, r.values[at]);
						if (key !== null) index.set(key, [...(index.get(key) ?? []), r.id]);
					}
					return s.columns
						.filter((c) => isText(c.field) && (how !== 'domain' || c.field.type === 'email'))
						.map((c) => matched(s, c, f, how, index));
				})
		);
}

function matched(
	s: Study,
	c: Column,
	f: Field,
	how: MatchHow,
	index: ReadonlyMap<string, readonly string[]>
): Hypothesis {
	const keys = c.values.map((v) => {
		const key = matchKey(how, v);
		const found = key === null ? [] : (index.get(key) ?? []);
		return found.length === 1 ? found[0] : '';
	});
	return {
		id: `match ${f.id} ${how} ${c.id}`,
		how: 'match',
		size: 1.3,
		reads: [c.label],
		gives: (r) => keys[r],
		verb: 'map',
		body: () => ({
			kind: 'match',
			type: s.field.target!,
			on: [{ field: f.id, how, value: { expr: c.expr } }],
			several: 'leave'
		})
	};
}
