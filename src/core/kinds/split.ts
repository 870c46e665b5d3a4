/** Parts of one text, one for each output; the last output takes the rest. */
import type { Field } from '../document/model';
import { TEXT, fits, typeOfField } from '../feel/types';
import { splitText } from '../text/split';
import { isBlank } from '../value/value';
import type { BodyOf, Writes } from './spec';
import { none } from './spec';
import { computedFrom } from './words';

/** The text field behind another; the first of the type behind the last. */
function nextText(fields: readonly Field[], field: Field): Field | undefined {
	const texts = fields.filter((f) => f.type === 'text' && !f.retired);
	const others = texts.filter((f) => f.id !== field.id);
	return others.find((f) => texts.indexOf(f) > texts.indexOf(field)) ?? others[0];
}

export const split: Writes<BodyOf<'split'>> = {
	does: 'writes',
	offers: ({ schema, type, field }) =>
		field.type === 'text'
			? [
					{
						verb: 'derive',
						label: 'Parts of a text',
						help: 'a text parted at a sign into two or more fields',
						also: 'split first last name',
						name: 'a part of',
						likely: 56,
						make: () => ({
							kind: 'split',
							input: { text: '' },
							at: 'first',
							separator: '',
							alone: 0
						}),
						// a text is parted into two fields: the second is the next text of the type
						second: nextText(schema.type(type).type.fields, field)?.id
					}
				]
			: [],
	decision: () => null,
	said: (b, s) => [
		{ key: 'input', label: 'From', text: s.gives(b.input) },
		{
			key: 'at',
			label: 'Parted',
			text: `at ${b.at === 'each' ? 'each' : `the ${b.at}`} ${b.separator.trim() ? `“${b.separator}”` : 'space'}`
		},
		{ key: 'alone', label: 'One part alone goes to', text: s.outputs[b.alone]?.label ?? '…' }
	],
	map: (b, on) => ({ ...b, input: on.formula(b.input, 'input') }),
	carried: (b) => b,
	source: () => null,
	constants: none,
	tables: none,
	repairs: {},
	compile(b, c) {
		const input = c.formula(b.input, 'input', TEXT);
		const count = c.fields.length;
		if (b.at !== 'each' && count !== 2)
			c.problem('outputs', 'Parting a text at one place gives two fields; there must be two.');
		if (b.alone < 0 || b.alone >= count)
			c.problem('outputs', 'Say which field a text of one part goes to.');
		if (!input) return null;
		return (i, field) => {
			if (!fits(TEXT, typeOfField(field))) {
				c.problem('outputs', `A part of a text cannot stand in ${field.label}.`);
				return null;
			}
			return {
				...input,
				run: (env) => {
					const v = input.run(env);
					if (isBlank(v) || typeof v !== 'string') return { got: false, why: 'blank' };
					const value = splitText(v, b, count)[i];
					return value === null ? { got: false, why: 'null' } : { got: true, value };
				}
			};
		};
	},
	place: () => 'outputs',
	outputs: (b) => (b.at === 'each' ? 'any' : 'two'),
	withoutOutput: (b) => ({ ...b, alone: 0 }),
	unsteady: () => null,
	finds: none,
	because: (_, t) => computedFrom(t),
	results: () => null,
	decides: () => null,
	givesNothing: () => 'try',
	flaws: none,
	doubts: none,
	tries: () => [
		{ key: 'result', label: 'it gives a part' },
		{ key: 'alone', label: 'a text of one part', short: 'no result' },
		{ key: 'blank', label: 'the text is blank', short: 'blank' }
	],
	alterations: (b, { rule }) => [
		...(b.at === 'each'
			? []
			: [
					{
						slip: 'parted elsewhere' as const,
						body: { ...b, at: b.at === 'first' ? ('last' as const) : ('first' as const) }
					}
				]),
		...(rule.outputs.length > 1
			? [
					{
						slip: 'parted elsewhere' as const,
						body: { ...b, alone: (b.alone + 1) % rule.outputs.length }
					}
				]
			: [])
	]
};
