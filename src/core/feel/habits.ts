/**
 * What people write out of habit, from spreadsheets and other languages, and what it is called here:
 * `IF(a; b; c)`, `a ? b : c`, `==`, a decimal comma, `Stage is Lost`. A text is rewritten only where what
 * comes out can be read; nothing is guessed that is not written there.
 */
import type { Fault } from '../document/tree';
import { looseKey } from '../text/loose';
import { spell } from '../text/names';
import type { Surroundings } from './complete';

export interface Mended {
	/** The text as it would be right. */
	text: string;
	/** What was meant, for the offer. */
	label: string;
}

/** Longest text that is looked at. */
const MOST = 2_000;

/** The text in parts, those within double quotes apart: only the others are rewritten. */
function outside(text: string, change: (part: string) => string): string {
	return text
		.split(/("(?:[^"\\]|\\.)*"?)/)
		.map((p, i) => (i % 2 ? p : change(p)))
		.join('');
}

/** Replaces calls of a function, by any of its names, with what its arguments become. */
function calls(text: string, names: RegExp, become: (args: string[]) => string | null): string {
	const m = names.exec(text);
	if (!m) return text;
	const open = m.index + m[0].length;
	const args: string[] = [];
	let [depth, from, quoted] = [1, open, false];
	for (let i = open; i < text.length; i++) {
		const c = text[i];
		if (c === '\\' && quoted) i++;
		else if (c === '"') quoted = !quoted;
		else if (quoted) continue;
		else if ('([{'.includes(c)) depth++;
		else if (')]}'.includes(c) && --depth === 0) {
			args.push(text.slice(from, i).trim());
			const next = become(args.map((a) => calls(a, names, become)));
			if (next === null) return text;
			return text.slice(0, m.index) + next + calls(text.slice(i + 1), names, become);
		} else if ((c === ',' || c === ';') && depth === 1) {
			args.push(text.slice(from, i).trim());
			from = i + 1;
		}
	}
	return text;
}

/** Names of functions elsewhere, and ours. */
const FUNCTIONS: [RegExp, string][] = [
	[/\b(?:ISBLANK|ISEMPTY|ISNULL|isNull)\s*\(/g, 'is blank('],
	[/\b(?:LEN|LENGTH)\s*\(/g, 'string length('],
	[/\bUPPER\s*\(/g, 'upper case('],
	[/\bLOWER\s*\(/g, 'lower case('],
	[/\bTRIM\s*\(/g, 'trim('],
	[/\bROUND\s*\(/g, 'decimal('],
	[/\b(?:AVERAGE|AVG)\s*\(/g, 'mean('],
	[/\bTODAY\s*\(\s*\)/g, 'today'],
	[/\bNOW\s*\(\s*\)/g, 'now'],
	[/\b(?:SUM|MIN|MAX|COUNT)\s*\(/g, '']
];

const joined = (word: string) => (args: string[]) =>
	args.length > 1 ? `(${args.join(` ${word} `)})` : null;

/** `Stage is Lost`, `Stage = lost`: the option in quotes, by its label. */
function options(text: string, { schema, type }: Surroundings): string {
	const t = type === null ? undefined : schema.types.get(type)?.type;
	let out = text;
	for (const f of t?.fields ?? []) {
		if (!f.list) continue;
		const name = spell(f.label).replace(/[.*+?^${}()|[\]\\]/g, '\\$&');
		const known = new Map(
			schema.lists.get(f.list)!.options.map((o) => [looseKey(o.label), o.label])
		);
		const wanted = new RegExp(
			`(?<![\\p{L}\\p{N}])(${name})\\s*(!=|=|is not|is)\\s*"?([\\p{L}\\p{N}][\\p{L}\\p{N} &/-]*?)"?(?=\\s*(?:\\band\\b|\\bor\\b|\\bthen\\b|\\belse\\b|[),;?]|$))`,
			'giu'
		);
		out = out.replace(wanted, (all, field: string, relation: string, option: string) => {
			const label = known.get(looseKey(option));
			if (!label) return all;
			return `${field} ${/not|!/i.test(relation) ? '!=' : '='} "${label}"`;
		});
	}
	return out;
}

/** `42,5` with no space behind the comma; a row of numbers stays one. */
const decimals = (text: string) =>
	outside(text, (p) => p.replace(/(?<![\d.,])(\d+),(\d+)(?!\d*[.,]\d)/g, '$1.$2'));

/** `IF(a, b, c)`; where it has more parts than it can have, decimal commas parted its numbers. */
function ifs(text: string): string {
	const become = (args: string[]) =>
		args.length === 2 || args.length === 3
			? `if ${args[0]} then ${args[1]} else ${args[2] ?? 'null'}`
			: null;
	const names = /\b(?:IF|IIF)\s*\(/i;
	const plain = calls(text, names, become);
	return plain === text ? calls(decimals(text), names, become) : plain;
}

type Rewrite = readonly [label: string, (text: string, about: Surroundings) => string];

/** In the order in which they are tried; each takes what those before it made. */
const REWRITES: readonly Rewrite[] = [
	['a formula does not begin with =', (t) => t.replace(/^\s*=(?!=)\s*/, '')],
	['equality is one =', (t) => outside(t, (p) => p.replace(/={2,3}/g, '=').replace(/<>/g, '!='))],
	[
		'and, or and not are words',
		(t) =>
			outside(t, (p) =>
				p
					.replace(/\s*&&\s*/g, ' and ')
					.replace(/\s*\|\|\s*/g, ' or ')
					.replace(/!(?=\s*[\p{L}(])/gu, 'not ')
			)
	],
	['and, or and not are words', (t) => calls(t, /\bAND\s*\(/, joined('and'))],
	['and, or and not are words', (t) => calls(t, /\bOR\s*\(/, joined('or'))],
	[
		'and, or and not are words',
		(t) => calls(t, /\bNOT\s*\(/, ([x, ...more]) => (x && !more.length ? `not(${x})` : null))
	],
	['if … then … else …', ifs],
	[
		'if … then … else …',
		(t) => t.replace(/^\s*([^?"]+?)\s*\?\s*([^:]+?)\s*:\s*(.+)$/su, 'if $1 then $2 else $3')
	],
	[
		'what was before is was.',
		(t) =>
			calls(t, /\b(?:previous|prior|old|before|PRIORVALUE)\s*\(/i, ([x, ...more]) =>
				x && !more.length ? `was.${x}` : null
			)
	],
	[
		'functions by their names here',
		(t) =>
			outside(t, (p) =>
				FUNCTIONS.reduce((s, [known, ours]) => s.replace(known, (m) => ours || m.toLowerCase()), p)
			)
	],
	['texts are joined by +', (t) => outside(t, (p) => p.replace(/\s*&\s*/g, ' + '))],
	['a decimal point', decimals],
	['texts stand in double quotes', (t) => t.replace(/[“”„«»]/g, '"')],
	['options stand in double quotes', options],
	[
		'texts stand in double quotes',
		(t) => outside(t, (p) => p.replace(/(?<=[=(,]\s*)'([^']*)'/g, '"$1"'))
	]
];

/**
 * A text as it would be right, where a habit explains what is wrong with it; null where none does.
 * @param faults what is wrong with a text
 */
export function mended(
	text: string,
	about: Surroundings,
	faults: (text: string) => readonly Fault[]
): Mended | null {
	if (text.length > MOST || !faults(text).some((f) => !f.open)) return null;
	let now = text;
	const said: string[] = [];
	for (const [label, rewrite] of REWRITES) {
		const next = rewrite(now, about);
		if (next === now) continue;
		now = next;
		if (!said.includes(label)) said.push(label);
		if (!faults(now).length) return { text: now.trim(), label: said.join('; ') };
	}
	return null;
}
