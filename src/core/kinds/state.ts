/** What a field is while the guard holds: required, read-only, hidden, or limited to some options. */
import type { Field } from '../document/model';
import type { BodyOf, Compiling, Judgement, Judges, Place } from './spec';
import { none } from './spec';

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
	if (!options.length) c.problem(place, 'Choose the options that are left.');
	return () => options;
}

export const state: Judges<BodyOf<'state'>> = {
	does: 'judges',
	offers: () => [
		{
			verb: 'validate',
			label: 'Validate: state',
			help: 'required, read-only, hidden, limited',
			name: 'must be right',
			make: () => ({ kind: 'state', state: 'required', options: [], always: false })
		}
	],
	map: (b) => b,
	source: () => null,
	constants: none,
	tables: none,
	repairs: {},
	compile: (b, c, field) => ({
		kind: b.state,
		holds: null,
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
	blocks: (b) => b.state === 'required'
};
