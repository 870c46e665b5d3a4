/** Ordered limits on a number or date, with a result for each stretch between them. */
import type { Field } from '../document/model';
import type { Limit } from '../document/rules';
import { fromJson } from '../fields/codec';
import * as n from '../value/num';
import type { Num } from '../value/num';
import { parseNum } from '../value/num';
import { LocalDate } from '../value/temporal';
import type { Value } from '../value/value';
import { order } from '../value/value';
import { blankOtherwise, exchanged } from './altered';
import { bandOf, bandText, bandWords } from './band';
import { blankInput, blankResult } from './blank';
import { blankCarried, resultsCarried } from './carried';
import { numbersOf } from './keys';
import { blankRow } from './decision';
import type { Altered, BodyOf, BodyResult, Flaw, Look, Writes } from './spec';
import { none } from './spec';
import { isBlank, nth, saidBlank } from './words';

type Bands = BodyOf<'bands'>;

const limitValue = (l: Limit): Value => parseNum(l.at) ?? LocalDate.parse(l.at);

export const bands: Writes<Bands> = {
	does: 'writes',
	offers: ({ schema, type, field }) =>
		numbersOf(schema, type, field.id).length
			? [
					{
						verb: 'categorize',
						label: 'Bands of a number or date',
						help: 'each stretch of a number, amount or date gives its value',
						also: 'limits thresholds ranges categorize classes',
						name: 'by bands',
						likely: field.type === 'choice' ? 90 : 40,
						make: () => ({
							kind: 'bands',
							input: { expr: { k: 'hole' } },
							limits: [],
							results: [null],
							blank: null
						})
					}
				]
			: [],
	decision(b, w) {
		const rows = b.results.flatMap((r, k) =>
			r ? [{ when: [b.limits.length ? bandText(b.limits, k) : '-'], then: w.results(r) }] : []
		);
		const dates = w.typeOf(b.input) === 'date';
		const quoted = (text: string) =>
			dates ? text.replace(/\d{4}-\d\d-\d\d/g, (d) => `date("${d}")`) : text;
		return {
			form: {
				table: {
					inputs: [{ text: w.gives(b.input), type: w.typeOf(b.input) }],
					hit: 'U',
					outputs: w.outputs,
					rows: [...rows.map((r) => ({ ...r, when: r.when.map(quoted) })), ...blankRow(w, b.blank)]
				}
			},
			lost: []
		};
	},
	said: (b, s) => [
		{ key: 'input', label: 'From', text: s.gives(b.input) },
		...b.results.map((r, k) => ({
			key: `band ${k}`,
			label: bandWords(b.limits, k),
			text: r ? s.values(r) : 'no band'
		})),
		saidBlank(b.blank, s)
	],
	map: (b, on) => ({ ...b, input: on.formula(b.input, 'input') }),
	carried: (b, c, rule) => ({
		...b,
		results: b.results.map((r) => resultsCarried(r, c, rule)),
		blank: blankCarried(b.blank, c, rule)
	}),
	source: () => null,
	constants: (b) => b.limits.map(limitValue),
	tables: none,
	repairs: {
		'say blank': (b) => ({ ...b, blank: { none: true } }),
		'take gap': (b, { band }) => {
			// the stretch goes to its lower neighbour, or to the upper one where there is none below
			const limit = band === 0 ? 0 : band - 1;
			return {
				...b,
				limits: b.limits.filter((_, i) => i !== limit),
				results: b.results.filter((_, i) => i !== band)
			};
		}
	},
	compile(b, c) {
		const input = c.formula(b.input, 'input');
		if (!input) return null;
		const { ty } = input;
		if (ty.t !== 'number' && ty.t !== 'date' && ty.t !== 'any') {
			c.problem('input', 'Bands part numbers, amounts or dates.');
			return null;
		}
		const limitField: Field = {
			id: 'limit',
			label: 'The limit',
			group: '',
			type: ty.t === 'date' ? 'date' : 'number'
		};
		const limits = b.limits.map((l, k) => ({
			at: c.constant(l.at, limitField, `result ${k}`),
			above: l.belongs === 'above'
		}));
		for (let k = 1; k < limits.length; k++) {
			const o = order(limits[k - 1].at, limits[k].at);
			if (o === null || o > 0 || (o === 0 && !(limits[k - 1].above && !limits[k].above)))
				c.problem(
					`result ${k}`,
					`The limits must rise: ${b.limits[k].at} stands behind ${b.limits[k - 1].at}.`
				);
		}
		if (b.results.length !== limits.length + 1) {
			c.problem('input', 'There must be one band more than there are limits.');
			return null;
		}
		if (b.results.every((r) => !r) && !b.blank) {
			c.unsaid('result 0', 'Say what each band gives.');
			return null;
		}
		return (i, field) => {
			const results = b.results.map((r, k): BodyResult => {
				if (!r) return { got: false, why: 'no row', row: k };
				const value = c.constant(r[i] ?? null, field, `result ${k}`);
				return value === null ? { got: false, why: 'null', row: k } : { got: true, value, row: k };
			});
			const blank = blankResult(b.blank, i, field, c);
			return {
				...input,
				run: (env) => {
					const v = input.run(env);
					return v === null ? blank : results[bandOf(v as Num | LocalDate, limits)];
				}
			};
		};
	},
	place: () => 'outputs',
	outputs: () => 'one',
	withoutOutput: (b, i) => ({
		...b,
		results: b.results.map((r) => r && r.filter((_, k) => k !== i))
	}),
	unsteady: () => null,
	finds: none,
	because(b, t) {
		if (t.outcome === 'blank' || t.row === 'blank') return isBlank(t);
		const k = Number(t.row);
		const text = bandText(b.limits, k);
		const spot = text.startsWith('[') || text.startsWith('(') ? `in ${text}` : text;
		if (!b.results[k]) return `${t.read.join(', ')} is ${spot}, which no band takes`;
		return `${t.read.join(', ')} is ${spot}, the ${nth(b.results.slice(0, k).filter(Boolean).length)} band`;
	},
	results: (b, i) => [
		...b.results.map((r) => r?.[i] ?? null),
		...(b.blank && 'give' in b.blank ? [b.blank.give[i] ?? null] : [])
	],
	decides(b, _, look) {
		const spot = look.spot(b.input);
		if (!spot) return null;
		const type = spot.field.type === 'date' ? ('date' as const) : ('number' as const);
		const constants = b.limits.map((l) => {
			const r = fromJson({ ...spot.field, type, places: undefined }, l.at, look.schema);
			return r.ok ? r.value : null;
		});
		return { values: [], read: [{ spot, constants }] };
	},
	givesNothing: () => 'try',
	flaws: (b, look) =>
		look.passesOn
			? []
			: [...blankInput(b.blank, look, look.spot(b.input)), ...gapsBetween(b, look)],
	doubts: none,
	tries: (b) => [
		...b.results.flatMap((r, k) => [
			...(r ? [{ key: String(k), said: `band ${k}`, from: b.limits[k - 1] }] : [])
		]),
		{ key: 'blank', said: 'blank' }
	],
	alterations: (b) => [
		...b.limits.flatMap((l, k) =>
			([1, -1] as const).flatMap((by): Altered<Bands>[] => {
				const at = movedLimit(l.at, by);
				const limits = b.limits.map((x, i) => (i === k ? { ...x, at: at ?? x.at } : x));
				return at && rising(limits) ? [{ slip: 'limit moved', body: { ...b, limits } }] : [];
			})
		),
		...b.limits.map((l, k): Altered<Bands> => {
			const belongs = l.belongs === 'above' ? 'below' : 'above';
			const limits = b.limits.map((x, i): Limit => (i === k ? { ...x, belongs } : x));
			return { slip: 'limit belongs to the other side', body: { ...b, limits } };
		}),
		...exchanged(b.results).map((results): Altered<Bands> => ({
			slip: 'results exchanged',
			body: { ...b, results }
		})),
		...blankOtherwise(b.blank, b.results.find(Boolean)).map((blank): Altered<Bands> => ({
			slip: 'blank decided otherwise',
			body: { ...b, blank }
		}))
	]
};

/** A limit one further: a number by one, a date by a day; null where there is none. */
function movedLimit(at: string, by: 1 | -1): string | null {
	const number = parseNum(at);
	if (number) return String(n.add(number, n.num(by)));
	const day = LocalDate.parse(at);
	return (day && LocalDate.fromEpochDay(day.epochDay + by)?.toString()) ?? null;
}

const rising = (limits: readonly Limit[]) =>
	limits.every((l, k) => k === 0 || (order(limitValue(limits[k - 1]), limitValue(l)) ?? 0) < 0);

function gapsBetween(b: Bands, look: Look): Flaw[] {
	const gaps = b.results.flatMap((r, k) => (r ? [] : [k]));
	if (!gaps.length) return [];
	const input = look.spot(b.input);
	if (!input) {
		look.notAnalysed(
			'It bands what a formula computes, so whether a value falls between its bands is not known.'
		);
		return [];
	}
	const { field } = input;
	const target = look.schema.field(look.rule.type, look.rule.outputs[0].field);
	const limits = b.limits.map(limitValue);
	const at = b.limits.map((l, k) => ({ at: limits[k], above: l.belongs === 'above' }));
	return gaps.flatMap((k): Flaw[] => {
		const inside = insideBand(b.limits, k);
		if (inside === null) return [];
		const value = parseNum(inside) ?? LocalDate.parse(inside);
		const stretch = bandText(b.limits, k);
		const alike = (v: Value) => v !== null && bandOf(v, at) === k;
		const given = [{ spot: input, value, constants: limits, alike }];
		const witness = look.show(
			given,
			['no row', 'left', 'cleared'],
			`that nothing takes ${stretch}`
		);
		if (!witness) return [];
		const taker = b.results[k === 0 ? 1 : k - 1];
		return [
			{
				is: k > 0 && k < b.limits.length ? 'gap between bands' : 'beyond the bands',
				at: String(k),
				place: `result ${k}`,
				message: `Nothing takes ${field.label.toLowerCase()} ${stretch}. ${field.label} ${inside} gives no result.`,
				witness,
				...(taker
					? {
							repair: {
								do: 'take gap',
								band: k,
								label: `Widen “${look.say(target, taker[0])}” over it`
							}
						}
					: {})
			}
		];
	});
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
