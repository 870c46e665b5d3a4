/** Option of one field to the options allowed in another; options left out limit nothing. */
import { own } from '../value/own';
import { keyCarried, optionsCarried } from './carried';
import { choicesOf, inListOrder } from './keys';
import { leftOut } from './altered';
import type { Altered, BodyOf, Judges } from './spec';
import { none } from './spec';
import { fixedOptions } from './state';

export const allowed: Judges<BodyOf<'allowed'>> = {
	does: 'judges',
	offers: ({ schema, type, field }) =>
		field.list && choicesOf(schema, type, field.id).some((o) => o.type === 'choice')
			? [
					{
						verb: 'validate',
						label: 'Options left by another choice',
						help: 'each option of another field leaves some of these',
						also: 'dependent limited allowed validate',
						name: 'options left',
						likely: 43,
						make: () => ({ kind: 'allowed', input: '', rows: {} })
					}
				]
			: [],
	decision: () => null,
	said(b, s) {
		const source = s.schema.field(s.rule.type, b.input);
		return [
			{ key: 'input', label: 'By', text: s.label(b.input) },
			...Object.entries(b.rows).map(([key, r]) => ({
				key: `option ${key}`,
				label: s.value(source?.type === 'yesno' ? key === 'true' : key, source),
				text: r.map((o) => s.value(o, s.outputs[0])).join(', ') || 'none'
			}))
		];
	},
	map: (b) => b,
	carried: (b, c, rule) => ({
		...b,
		input: c.field(rule.type, b.input),
		rows: Object.fromEntries(
			Object.entries(b.rows).map(([key, left]) => [
				keyCarried(key, b.input, c, rule),
				optionsCarried(left, c, rule)
			])
		)
	}),
	source: (b) => b.input,
	constants: (b) => Object.keys(b.rows),
	tables: none,
	repairs: {},
	compile(b, c, field) {
		const { schema } = c;
		const { type } = c.rule;
		const source = schema.field(type, b.input);
		const i = schema.type(type).at.get(b.input);
		if (!source || i === undefined || source.type !== 'choice') {
			c.unsaid('input', 'Choose the choice that limits it.');
			return null;
		}
		if (!Object.keys(b.rows).length) {
			c.unsaid('result 0', 'Say which options each leaves.');
			return null;
		}
		for (const [key, options] of Object.entries(b.rows)) {
			if (!schema.option(source.list!, key))
				c.problem('input', `${source.label} has no option “${key}”.`);
			fixedOptions(c, field, options, `option ${key}`);
		}
		return {
			kind: 'limited',
			holds: null,
			asked: null,
			allowed: (env) => {
				const v = env.rec!.settled[i];
				return typeof v === 'string' ? (own(b.rows, v) ?? null) : null;
			},
			message: () => `${field.label} cannot be changed now.`,
			blocking: true,
			always: false,
			reads: [{ type, field: source.id, image: 'settled', via: [], many: false }],
			events: []
		};
	},
	asks: () => null,
	blocks: () => false,
	tries: (b, { schema, rule }) =>
		inListOrder(Object.keys(b.rows), b.input, schema, rule.type).map((key) => ({
			key,
			said: `option ${key}`
		})),
	alterations: (b) =>
		Object.entries(b.rows).flatMap(([key, left]): Altered<BodyOf<'allowed'>>[] => {
			const { [key]: _row, ...others } = b.rows;
			return [
				...(Object.keys(others).length
					? [{ slip: 'row left out' as const, body: { ...b, rows: others } }]
					: []),
				...leftOut(left).map((fewer) => ({
					slip: 'options changed' as const,
					body: { ...b, rows: { ...b.rows, [key]: fewer } }
				}))
			];
		})
};
