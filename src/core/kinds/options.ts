/** Each option (or yes/no) of one field to results. */
import type { JsonValue } from '../document/json';
import type { Expr } from '../document/tree';
import { compileExpression } from '../feel/compile';
import { ANY } from '../feel/types';
import type { Spot } from '../spots/cells';
import { own } from '../value/own';
import type { Value } from '../value/value';
import { blankOtherwise, exchanged, leftOut } from './altered';
import { blankInput, blankResult } from './blank';
import { blankCarried, keyCarried, resultsCarried } from './carried';
import { choicesOf, inListOrder, keysOf } from './keys';
import { blankRow, typeName } from './decision';
import type { Altered, BodyOf, BodyResult, Flaw, Look, TryPart, Writes } from './spec';
import { none } from './spec';
import { isBlank, saidBlank } from './words';

type Options = BodyOf<'options'>;

const withoutAt = <T>(xs: readonly T[], i: number) => xs.filter((_, k) => k !== i);

export const options: Writes<Options> = {
	does: 'writes',
	offers: ({ schema, type, field }) =>
		choicesOf(schema, type, field.id).length
			? [
					{
						verb: 'map',
						label: 'Option to value',
						help: 'each option, or yes and no, of another field gives its value',
						also: 'map mapping choice tick box',
						name: 'by option',
						likely: field.list || field.type === 'yesno' ? 88 : 66,
						make: () => ({ kind: 'options', input: '', rows: {}, blank: null })
					}
				]
			: [],
	decision(b, w) {
		const source = w.schema.field(w.rule.type, b.input);
		if (!source) return null;
		const key = (k: string) => w.constant(source.type === 'yesno' ? k === 'true' : k, source);
		const inOrder = inListOrder(Object.keys(b.rows), b.input, w.schema, w.rule.type);
		const input: Expr = { k: 'field', image: 'settled', type: w.rule.type, field: source.id };
		return {
			form: {
				table: {
					inputs: [{ text: w.expr(input), type: typeName(source) }],
					hit: 'U',
					outputs: w.outputs,
					rows: [
						...inOrder.map((k) => ({ when: [key(k)], then: w.results(b.rows[k]) })),
						...blankRow(w, b.blank)
					]
				}
			},
			lost: []
		};
	},
	said(b, s) {
		const source = s.schema.field(s.rule.type, b.input);
		return [
			{ key: 'input', label: 'From', text: s.label(b.input) },
			...Object.entries(b.rows).map(([key, r]) => ({
				key: `option ${key}`,
				label: s.value(source?.type === 'yesno' ? key === 'true' : key, source),
				text: s.values(r)
			})),
			...(b.nothing ?? []).map((key) => ({
				key: `option ${key}`,
				label: s.value(source?.type === 'yesno' ? key === 'true' : key, source),
				text: 'nothing'
			})),
			saidBlank(b.blank, s)
		];
	},
	map: (b) => b,
	carried: (b, c, rule) => ({
		...b,
		input: c.field(rule.type, b.input),
		rows: Object.fromEntries(
			Object.entries(b.rows).map(([key, r]) => [
				keyCarried(key, b.input, c, rule),
				resultsCarried(r, c, rule)
			])
		),
		blank: blankCarried(b.blank, c, rule),
		...(b.nothing ? { nothing: b.nothing.map((key) => keyCarried(key, b.input, c, rule)) } : {})
	}),
	source: (b) => b.input,
	constants: (b) => Object.keys(b.rows),
	tables: none,
	repairs: {
		'say blank': (b) => ({ ...b, blank: { none: true } }),
		'map option': (b, r) => ({ ...b, rows: { ...b.rows, [r.option]: r.values } })
	},
	compile(b, c) {
		const { schema, before } = c;
		const { type } = c.rule;
		const source = schema.field(type, b.input);
		if (!b.input) {
			c.unsaid('input', 'Say which field it maps from.');
			return null;
		}
		if (!source) {
			c.problem('input', 'The field this rule maps from is no longer there.');
			return null;
		}
		if (source.type !== 'choice' && source.type !== 'yesno') {
			c.problem('input', `${source.label} is neither a choice nor yes/no.`);
			return null;
		}
		if (!Object.keys(b.rows).length && !b.blank && !b.nothing?.length) {
			c.unsaid('result 0', 'Say what each option gives.');
			return null;
		}
		const keys = Object.entries(b.rows).filter(([key]) => {
			const known = source.type === 'yesno' || schema.option(source.list!, key);
			if (!known) c.problem('input', `${source.label} has no option “${key}”.`);
			return known;
		});
		const expr: Expr = { k: 'field', image: 'settled', type, field: source.id };
		const input = compileExpression(expr, { schema, type, expected: ANY, before });
		return (i, field) => {
			const rows = new Map(
				keys.map(([key, r]): [string, BodyResult] => {
					const value = c.constant(r[i] ?? null, field, `option ${key}`);
					return [
						key,
						value === null ? { got: false, why: 'null', row: key } : { got: true, value, row: key }
					];
				})
			);
			const blank = blankResult(b.blank, i, field, c);
			return {
				...input,
				run: (env) => {
					const v = input.run(env);
					if (v === null) return blank;
					return rows.get(String(v)) ?? { got: false, why: 'no row', row: String(v) };
				}
			};
		};
	},
	place: () => 'outputs',
	outputs: () => 'any',
	withoutOutput: (b, i) => ({
		...b,
		rows: Object.fromEntries(Object.entries(b.rows).map(([k, v]) => [k, withoutAt(v, i)])),
		blank: b.blank && 'give' in b.blank ? { give: withoutAt(b.blank.give, i) } : b.blank
	}),
	unsteady: () => null,
	finds: none,
	because(b, t) {
		const source = { type: t.rule.type, field: b.input };
		if (t.outcome === 'blank' || t.row === 'blank') return `${t.label(source)} is blank`;
		if (t.row === undefined) return isBlank(t);
		const v: Value = t.row === 'true' ? true : t.row === 'false' ? false : (t.row as string);
		const said = `${t.label(source)} is ${t.format(source, v)}`;
		if (t.outcome !== 'no row' && own(b.rows, String(t.row))) return said;
		return `${said}, ${b.nothing?.includes(String(t.row)) ? 'which gives nothing' : 'which nobody mapped'}`;
	},
	results: (b, i) => [
		...Object.values(b.rows).map((r) => r[i] ?? null),
		...(b.blank && 'give' in b.blank ? [b.blank.give[i] ?? null] : [])
	],
	decides(b, _, { schema, rule }) {
		const field = schema.field(rule.type, b.input);
		if (!field) return null;
		const constants =
			field.type === 'choice' ? schema.lists.get(field.list!)!.options.map((o) => o.id) : [];
		return { values: [], read: [{ spot: { via: [], type: rule.type, field }, constants }] };
	},
	givesNothing: () => 'try',
	flaws(b, look) {
		const field = look.schema.field(look.rule.type, b.input);
		if (look.passesOn || !field) return [];
		const input: Spot = { via: [], type: look.rule.type, field };
		return [...blankInput(b.blank, look, input), ...unmapped(b, look, input)];
	},
	doubts: none,
	tries: (b, { schema, rule }) => [
		...inListOrder([...Object.keys(b.rows), ...(b.nothing ?? [])], b.input, schema, rule.type).map(
			(key): TryPart => ({ key, said: `option ${key}` })
		),
		{ key: 'blank', said: 'blank' }
	],
	alterations: (b) => {
		const keys = Object.keys(b.rows);
		return [
			...exchanged(Object.values(b.rows)).map((results): Altered<Options> => ({
				slip: 'results exchanged',
				body: { ...b, rows: Object.fromEntries(keys.map((k, i) => [k, results[i]])) }
			})),
			...leftOut(Object.entries(b.rows)).map((rows): Altered<Options> => ({
				slip: 'row left out',
				body: { ...b, rows: Object.fromEntries(rows) }
			})),
			...blankOtherwise(b.blank, Object.values(b.rows)[0]).map((blank): Altered<Options> => ({
				slip: 'blank decided otherwise',
				body: { ...b, blank }
			}))
		];
	}
};

function unmapped(b: Options, look: Look, input: Spot): Flaw[] {
	const most = mostGiven(b);
	const target = look.schema.field(look.rule.type, look.rule.outputs[0].field);
	return keysOf(look.schema, input.field).flatMap((key): Flaw[] => {
		const decided = b.nothing?.includes(key.id) || own(b.rows, key.id)?.some((v) => v !== null);
		if (decided) return [];
		const witness = look.show(
			[{ spot: input, value: key.value }],
			['no row', 'no result', 'left', 'cleared'],
			`that “${key.label}” is mapped to nothing`
		);
		if (!witness) return [];
		return [
			{
				is: 'unmapped option',
				at: key.id,
				place: 'input',
				message: `Nobody mapped “${key.label}” of ${input.field.label}; it gives no result.`,
				witness,
				...(most
					? {
							repair: {
								do: 'map option',
								option: key.id,
								values: most,
								label: `Map it to “${look.say(target, most[0])}”, as most are`
							}
						}
					: {})
			}
		];
	});
}

/** What more options give than anything else, where two or more do; null when nothing stands out. */
function mostGiven(b: Options): JsonValue[] | null {
	const counts = new Map<string, number>();
	for (const r of Object.values(b.rows)) {
		const key = JSON.stringify(r);
		counts.set(key, (counts.get(key) ?? 0) + 1);
	}
	const [first, second] = [...counts].sort((a, b) => b[1] - a[1]);
	if (!first || first[1] < 2 || first[1] === second?.[1]) return null;
	return JSON.parse(first[0]) as JsonValue[];
}
