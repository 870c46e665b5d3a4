/** Inputs that nobody decided about: numbers no band takes, options nobody mapped, keys a table lacks, blanks. */
import type { JsonValue } from '../model/codec';
import type { Field } from '../model/model';
import type { Limit, LookupBody, Rule } from '../model/rules';
import { bandText } from '../plan/plan';
import type { TableIndex } from '../tables/reference';
import { indexTable } from '../tables/reference';
import * as n from '../value/num';
import type { Num } from '../value/num';
import { parseNum } from '../value/num';
import { LocalDate } from '../value/temporal';
import type { Value } from '../value/value';
import { order } from '../value/value';
import { spotOf, type Spot } from './cells';
import type { Context } from './context';
import { carried, ofRule } from './context';
import { exprOf } from './formulas';
import type { Finding } from './types';

type Bands = Rule['body'] & { kind: 'bands' };
type Options = Rule['body'] & { kind: 'options' };

/** What a rule leaves undecided, by the kind of its body. */
export function undecided(c: Context, rule: Rule): Finding[] {
	const { body } = rule;
	if (rule.each || c.passesOn(rule)) return [];
	switch (body.kind) {
		case 'bands':
			return [...blankInput(c, rule, body), ...gapsOfBands(c, rule, body)];
		case 'options':
			return [...blankInput(c, rule, body), ...unmapped(c, rule, body)];
		case 'lookup':
			return missingKeys(c, rule, body);
		default:
			return [];
	}
}

/** The one field that the input of a rule reads as it is; null where it computes. */
function inputOf(c: Context, rule: Rule, body: Bands | Options): Spot | null {
	if (body.kind === 'options') {
		const field = c.schema.field(rule.type, body.input);
		return field ? { via: [], type: rule.type, field } : null;
	}
	const e = exprOf(c, rule.type, body.input);
	return e && spotOf(e, c.schema);
}

function blankInput(c: Context, rule: Rule, body: Bands | Options): Finding[] {
	if (body.blank !== null) return [];
	const input = inputOf(c, rule, body);
	const w = c.show(
		rule,
		input ? [{ spot: input, value: null }] : [],
		['blank', 'left', 'cleared'],
		'what a blank gives'
	);
	if (!w) return [];
	const label = input ? input.field.label.toLowerCase() : 'input';
	return [
		{
			...ofRule(rule, 'blank', 'blank'),
			severity: 'advisory',
			message: `Nobody said what a blank ${label} gives; now it gives nothing.`,
			...carried(w),
			repair: { do: 'say blank', rule: rule.id, label: 'Say: blank gives no result' }
		}
	];
}

function gapsOfBands(c: Context, rule: Rule, body: Bands): Finding[] {
	const gaps = body.results.flatMap((r, k) => (r ? [] : [k]));
	if (!gaps.length) return [];
	const input = inputOf(c, rule, body);
	if (!input) {
		c.notAnalysed(
			rule,
			'It bands what a formula computes, so whether a value falls between its bands is not known.'
		);
		return [];
	}
	const { field } = input;
	const target = c.schema.field(rule.type, rule.outputs[0].field);
	return gaps.flatMap((k) => {
		const at = insideBand(body.limits, k);
		if (at === null) return [];
		const value = parseNum(at) ?? LocalDate.parse(at);
		const stretch = bandText(body.limits, k);
		const limits = body.limits.map((l) => parseNum(l.at) ?? LocalDate.parse(l.at));
		const alike = (v: Value) => bandOf(body.limits, limits, v) === k;
		const given = [{ spot: input, value, constants: limits, alike }];
		const w = c.show(rule, given, ['no row', 'left', 'cleared'], `that nothing takes ${stretch}`);
		if (!w) return [];
		const taker = body.results[k === 0 ? 1 : k - 1];
		return [
			{
				...ofRule(rule, `result ${k}`, `gap ${k}`),
				severity: k > 0 && k < body.limits.length ? ('blocking' as const) : ('advisory' as const),
				message: `Nothing takes ${field.label.toLowerCase()} ${stretch}. ${field.label} ${at} gives no result.`,
				...carried(w),
				...(taker
					? {
							repair: {
								do: 'take gap' as const,
								rule: rule.id,
								band: k,
								label: `Widen “${c.say(target, taker[0])}” over it`
							}
						}
					: {})
			}
		];
	});
}

/** Options (or yes and no) of a field that are open to choice, with what they are called. */
function keysOf(c: Context, field: Field): { id: string; label: string; value: Value }[] {
	if (field.type === 'yesno')
		return [
			{ id: 'true', label: 'yes', value: true },
			{ id: 'false', label: 'no', value: false }
		];
	const { options } = c.schema.lists.get(field.list!)!;
	return options.filter((o) => !o.retired).map((o) => ({ id: o.id, label: o.label, value: o.id }));
}

function unmapped(c: Context, rule: Rule, body: Options): Finding[] {
	const input = inputOf(c, rule, body);
	if (!input) return [];
	const most = mostGiven(body);
	const target = c.schema.field(rule.type, rule.outputs[0].field);
	return keysOf(c, input.field).flatMap((key) => {
		if (body.rows[key.id]?.some((v) => v !== null)) return [];
		const fixed = [{ spot: input, value: key.value }];
		const what = `that “${key.label}” is mapped to nothing`;
		const w = c.show(rule, fixed, ['no row', 'no result', 'left', 'cleared'], what);
		if (!w) return [];
		return [
			{
				...ofRule(rule, 'input', `unmapped ${key.id}`),
				severity: 'blocking' as const,
				message: `Nobody mapped “${key.label}” of ${input.field.label}; it gives no result.`,
				...carried(w),
				...(most
					? {
							repair: {
								do: 'map option' as const,
								rule: rule.id,
								option: key.id,
								values: most,
								label: `Map it to “${c.say(target, most[0])}”, as most are`
							}
						}
					: {})
			}
		];
	});
}

/** What more options give than anything else, where two or more do; null when nothing stands out. */
function mostGiven(body: Options): JsonValue[] | null {
	const counts = new Map<string, number>();
	for (const r of Object.values(body.rows)) {
		const key = JSON.stringify(r);
		counts.set(key, (counts.get(key) ?? 0) + 1);
	}
	const [first, second] = [...counts].sort((a, b) => b[1] - a[1]);
	if (!first || first[1] < 2 || first[1] === second?.[1]) return null;
	return JSON.parse(first[0]) as JsonValue[];
}

/** Options that no row of a reference table has, or whose row is blank where the rule reads it. */
function missingKeys(c: Context, rule: Rule, body: LookupBody): Finding[] {
	const table = c.schema.tables.get(body.table)!;
	const [key] = table.keys;
	const e = table.keys.length === 1 ? exprOf(c, rule.type, body.keys[0] ?? null) : null;
	const spot = e && spotOf(e, c.schema);
	const column = key.match === 'exact' ? table.columns.find((x) => x.id === key.column) : undefined;
	if (!spot || !column || !['choice', 'yesno'].includes(column.type)) {
		c.notAnalysed(
			rule,
			`Which keys “${table.label}” lacks is looked for only where one choice is its key.`
		);
		return [];
	}
	const index = indexTable(table, c.schema);
	return keysOf(c, spot.field).flatMap((o) => {
		const rows = index.find([o.value]);
		const fixed = [{ spot, value: o.value }];
		if (rows.length) return blankCells(c, rule, body, index, fixed, o.label, rows[0]);
		const what = `that “${table.label}” has no row for “${o.label}”`;
		const w = c.show(rule, fixed, ['no row', 'left', 'cleared'], what);
		if (!w) return [];
		return [
			{
				...ofRule(rule, 'input', `no row ${o.id}`),
				severity: 'blocking' as const,
				message: `“${table.label}” has no row for “${o.label}” of ${spot.field.label}; it gives no result.`,
				...carried(w),
				repair: {
					do: 'add table row' as const,
					table: table.id,
					column: column.id,
					value: typeof o.value === 'boolean' ? o.value : o.id,
					label: `Add a row for “${o.label}”`
				}
			}
		];
	});
}

/** Outputs for which the row of an option has nothing, where other rows do. */
function blankCells(
	c: Context,
	rule: Rule,
	body: LookupBody,
	index: TableIndex,
	fixed: { spot: Spot; value: Value }[],
	option: string,
	row: number
): Finding[] {
	const table = c.schema.tables.get(body.table)!;
	return rule.outputs.flatMap((output, i) => {
		const at = table.columns.findIndex((x) => x.id === body.columns[i]);
		if (at < 0 || index.value(row, at) !== null) return [];
		if (table.rows.every((_, r) => index.value(r, at) === null)) return [];
		const label = c.schema.field(rule.type, output.field)!.label;
		const what = `that “${option}” gives no ${label.toLowerCase()}`;
		const w = c.show(rule, fixed, ['no result', 'left', 'cleared'], what);
		if (!w) return [];
		return [
			{
				...ofRule(rule, `column ${i}`, `blank cell ${row} ${i}`),
				severity: 'advisory' as const,
				message: `The row for “${option}” in “${table.label}” has no ${table.columns[at].label.toLowerCase()}, so ${label} gets nothing.`,
				...carried(w)
			}
		];
	});
}

/** The band into which a value falls; null for a blank. @param at the limits as values */
function bandOf(limits: readonly Limit[], at: readonly Value[], v: Value): number | null {
	if (v === null) return null;
	let k = 0;
	for (; k < limits.length; k++) {
		const by = order(v, at[k]);
		if (by === null) return null;
		if (by < 0 || (by === 0 && limits[k].belongs === 'below')) break;
	}
	return k;
}

/** A number, whole where there is one, or a date that lies in a band; null when the band holds none. */
function insideBand(limits: readonly Limit[], k: number): string | null {
	const dates = limits.some((l) => LocalDate.parse(l.at));
	const read = (l: Limit | undefined) =>
		l && (dates ? dayNumber(LocalDate.parse(l.at)) : parseNum(l.at));
	const say = (x: Num | null) => {
		const day = x && n.toInteger(n.roundTo(x, 0, 'floor') ?? x);
		if (!dates) return x?.toString() ?? null;
		return day === null ? null : (LocalDate.fromEpochDay(day)?.toString() ?? null);
	};
	const lo = read(limits[k - 1]);
	const hi = read(limits[k]);
	if (lo === null || hi === null) return null;
	if (!lo && !hi) return '0';
	if (!lo) return say(limits[k].belongs === 'below' ? hi! : n.sub(hi!, n.num(1)));
	if (limits[k - 1].belongs === 'above') return say(lo);
	if (!hi) return say(n.add(lo, n.num(1)));
	const sum = n.add(lo, hi);
	return say(sum && n.div(sum, n.num(2)));
}
const dayNumber = (d: LocalDate | null) => d && n.num(d.epochDay);
