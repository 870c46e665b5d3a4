/** A message that leaves when the change is kept; such a rule has no outputs. */
import type { FieldRef, Schema } from '../document/model';
import { MESSAGES, ONCE_LABEL } from '../document/rules';
import { plainText } from '../feel/template';
import { BOOLEAN, TEXT } from '../feel/types';
import type { BodyOf, Sends } from './spec';
import { none } from './spec';

type Message = BodyOf<'message'>;

/** Links of other types that point to records of one. */
const pointingTo = (schema: Schema, type: string): FieldRef[] =>
	schema.model.types.flatMap((t) =>
		t.fields
			.filter((f) => f.type === 'link' && f.target === type)
			.map((f) => ({ type: t.id, field: f.id }))
	);

export const message: Sends<Message> = {
	does: 'sends',
	offers: ({ schema, type, field }) => {
		if (field.id !== MESSAGES) return [];
		const make = (each: FieldRef | null) => (): Message => ({
			kind: 'message',
			each,
			filter: null,
			to: { text: '' },
			subject: [],
			text: [],
			once: 'event'
		});
		const [each] = pointingTo(schema, type);
		const one = {
			verb: 'derive' as const,
			label: 'A message',
			help: 'to one address',
			also: 'mail e-mail notice',
			name: 'message',
			likely: 50,
			make: make(null)
		};
		if (!each) return [one];
		return [
			{
				...one,
				label: 'A message for each related record',
				help: 'such as each contact of a customer',
				name: 'message to each',
				likely: 60,
				make: make(each)
			},
			one
		];
	},
	decision: () => null,
	said(b, s) {
		const type = b.each?.type;
		return [
			...(b.each
				? [
						{
							key: 'each',
							label: 'For each of the',
							text: s.schema.field(b.each.type, b.each.field)?.inverse ?? b.each.type
						}
					]
				: []),
			...(b.filter ? [{ key: 'filter', label: 'Where', text: s.condition(b.filter, type) }] : []),
			{ key: 'to', label: 'To', text: s.gives(b.to, undefined, type) },
			{ key: 'subject', label: 'Subject', text: s.text(b.subject) },
			{ key: 'text', label: 'Text', text: s.text(b.text) },
			{ key: 'once', label: 'Leaves', text: ONCE_LABEL[b.once] }
		];
	},
	map: (b, on, rule) => {
		const about = { type: b.each?.type ?? rule.type };
		return {
			...b,
			filter: b.filter && on.formula(b.filter, 'filter', about),
			to: on.formula(b.to, 'recipient', about),
			subject: on.text(b.subject, 'subject', about),
			text: on.text(b.text, 'message', about)
		};
	},
	carried: (b, c) =>
		b.each
			? { ...b, each: { type: c.type(b.each.type), field: c.field(b.each.type, b.each.field) } }
			: b,
	source: () => null,
	constants: none,
	tables: none,
	repairs: {},
	goesTo: (b) => ({ type: b.each?.type ?? null, filter: b.filter, to: b.to }),
	compile(b, c) {
		const { rule, schema } = c;
		if (rule.each) c.problem('each', 'Messages say themselves for which records they are.');
		if (rule.outputs.length) c.problem('outputs', 'A rule that sends messages writes no field.');
		const link = b.each && schema.field(b.each.type, b.each.field);
		if (b.each && (link?.type !== 'link' || link.target !== rule.type))
			c.unsaid('each', 'Choose which related records it is for.');
		const about = b.each && link ? b.each.type : rule.type;
		const filter = b.filter && c.formula(b.filter, 'filter', BOOLEAN, about);
		const to = c.formula(b.to, 'recipient', TEXT, about);
		const subject = c.text(b.subject, 'subject', 'Write the subject.', about);
		const words = c.text(b.text, 'message', 'Write the text.', about);
		if (!to) return null;
		return {
			each: b.each,
			once: b.once,
			filter: filter?.run ?? null,
			to: to.run,
			subject: (env) => plainText(subject.pieces(env)),
			text: (env) => plainText(words.pieces(env))
		};
	},
	tries: none,
	alterations: (b) => [
		...(b.once === 'event'
			? []
			: [{ slip: 'sent more often' as const, body: { ...b, once: 'event' as const } }]),
		...(b.filter ? [{ slip: 'condition left out' as const, body: { ...b, filter: null } }] : [])
	]
};
