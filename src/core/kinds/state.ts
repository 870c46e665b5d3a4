/** What a field is while the guard holds: required, read-only, hidden, or limited to some options. */
import type { Field } from '../document/model';
import type { FieldState } from '../document/rules';
import { FIELD_STATES } from '../document/rules';
import { optionsCarried } from './carried';
import { leftOut } from './altered';
import type { Altered, BodyOf, Compiling, Judgement, Judges, Place } from './spec';
import { none } from './spec';
import { saidWhen } from './words';

/** Options that are left; what is wrong with them is told. Null where the field has none to limit. */
export function fixedOptions(
	c: Compiling,
	field: Field,
	options: readonly string[],
	place: Place
): Judgement['allowed'] {
	if (!field.list) {
		c.problem('outputs', `${field.label} has no options to limit.`);
		return null;
	}
	for (const o of options)
		if (!c.schema.option(field.list, o)) c.problem(place, `${field.label} has no option “${o}”.`);
	if (!options.length) c.unsaid(place, 'Choose the options that are left.');
	return () => options;
}

/** How each is offered. */
const OFFERED: Record<FieldState, { label: string; help: string; likely: number }> = {
	required: { label: 'Required', help: 'people must fill it, while something holds', likely: 44 },
	'read-only': {
		label: 'Read-only',
		help: 'people cannot change it, while something holds',
		likely: 32
	},
	hidden: { label: 'Hidden', help: 'forms do not show it, while something holds', likely: 26 },
	limited: { label: 'Some options only', help: 'which are left, while something holds', likely: 30 }
};

export const state: Judges<BodyOf<'state'>> = {
	does: 'judges',
	offers: ({ field }) =>
		FIELD_STATES.filter((s) => s !== 'limited' || field.list).map((state) => ({
			verb: 'validate' as const,
			label: OFFERED[state].label,
			help: OFFERED[state].help,
			also: 'validate what people may do here',
			name: state,
			likely: OFFERED[state].likely,
			begins: 'condition' as const,
			make: () => ({ kind: 'state' as const, state, options: [], always: false })
		})),
	decision: () => null,
	said: (b, s) => [
		{ key: 'state', label: 'The field is', text: b.state },
		...(b.state === 'limited'
			? [
					{
						key: 'options',
						label: 'To',
						text: b.options.map((o) => s.value(o, s.outputs[0])).join(', ') || '…'
					}
				]
			: []),
		saidWhen(b.always)
	],
	map: (b) => b,
	carried: (b, c, rule) => ({ ...b, options: optionsCarried(b.options, c, rule) }),
	source: () => null,
	constants: none,
	tables: none,
	repairs: {},
	compile: (b, c, field) => ({
		kind: b.state,
		holds: null,
		asked: null,
		allowed: b.state === 'limited' ? fixedOptions(c, field, b.options, 'input') : null,
		message: () =>
			b.state === 'required'
				? `${field.label} is required.`
				: `${field.label} cannot be changed now.`,
		blocking: true,
		always: b.always,
		reads:
			b.state === 'required'
				? [{ type: c.rule.type, field: field.id, image: 'settled', via: [], many: false }]
				: [],
		events: []
	}),
	asks: () => null,
	blocks: (b) => b.state === 'required',
	tries: none,
	alterations: (b) => [
		{ slip: 'weight changed', body: { ...b, always: !b.always } },
		...leftOut(b.options).map((options): Altered<BodyOf<'state'>> => ({
			slip: 'options changed',
			body: { ...b, options }
		}))
	]
};
