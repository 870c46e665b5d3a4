/** One composed text for each output. */
import { TEXT, fits, typeOfField } from '../feel/types';
import { joinPieces } from '../text/compose';
import { isBlank } from '../value/value';
import type { BodyOf, Writes } from './spec';
import { none } from './spec';
import { computedFrom } from './words';

export const compose: Writes<BodyOf<'compose'>> = {
	does: 'writes',
	offers: ({ field }) =>
		field.type === 'text'
			? [
					{
						verb: 'derive',
						label: 'A text put together',
						help: 'from several fields, with words between them',
						also: 'compose concatenate join template',
						name: 'put together',
						likely: 86,
						make: () => ({ kind: 'compose', texts: [[]], blanks: 'leave out' })
					}
				]
			: [],
	decision: () => null,
	said: (b, s) => [
		...b.texts.map((t, i) => ({
			key: `text ${i}`,
			label: b.texts.length > 1 ? (s.outputs[i]?.label ?? 'Text') : 'Text',
			text: s.text(t)
		})),
		{
			key: 'blanks',
			label: 'Where a part is blank',
			text: typeof b.blanks === 'object' ? `“${b.blanks.write}” is written` : b.blanks
		}
	],
	map: (b, on) => ({ ...b, texts: b.texts.map((t, i) => on.text(t, `text ${i}`)) }),
	carried: (b) => b,
	source: () => null,
	constants: none,
	tables: none,
	repairs: {},
	compile: (b, c) => (i, field) => {
		if (!fits(TEXT, typeOfField(field))) {
			c.problem('outputs', `A composed text cannot stand in ${field.label}.`);
			return null;
		}
		const t = c.text(b.texts[i], `text ${i}`, `Write the text that ${field.label} becomes.`);
		const { blanks } = b;
		return {
			...t,
			run: (env) => {
				let pieces = t.pieces(env);
				const missing = pieces.some((p) => 'value' in p && isBlank(p.value));
				if (missing && blanks === 'no result') return { got: false, why: 'null' };
				const instead = typeof blanks === 'object' ? blanks.write : null;
				pieces = pieces.map((p) => ('value' in p && isBlank(p.value) ? { value: instead } : p));
				const value = joinPieces(pieces);
				return value === null ? { got: false, why: 'null' } : { got: true, value };
			}
		};
	},
	place: (i) => `text ${i}`,
	outputs: () => 'any',
	withoutOutput: (b, i) => ({ ...b, texts: b.texts.filter((_, k) => k !== i) }),
	unsteady: () => null,
	finds: none,
	because: (_, t) => computedFrom(t),
	results: () => null,
	decides: () => null,
	givesNothing: () => 'try',
	flaws: none,
	doubts: none,
	tries: () => [
		{ key: 'result', label: 'it gives a text' },
		{ key: 'blank part', label: 'a part is blank', short: 'blank' }
	],
	alterations: (b) => [
		{
			slip: 'blank decided otherwise',
			body: { ...b, blanks: b.blanks === 'no result' ? 'leave out' : 'no result' }
		}
	]
};
