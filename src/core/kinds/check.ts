/** What must hold, and what is said at the field when it does not. */
import { plainText } from '../feel/template';
import { BOOLEAN } from '../feel/types';
import type { BodyOf, Judges } from './spec';
import { none } from './spec';
import { saidWhen } from './words';

export const check: Judges<BodyOf<'check'>> = {
	does: 'judges',
	offers: () => [
		{
			verb: 'validate',
			label: 'What must hold',
			help: 'a check with a message, which refuses the change or advises',
			also: 'validate check error message',
			name: 'must be right',
			likely: 46,
			make: () => ({
				kind: 'check',
				holds: { text: '' },
				message: [],
				blocking: true,
				always: false
			})
		}
	],
	decision: () => null,
	said: (b, s) => [
		{ key: 'holds', label: 'Must hold', text: s.condition(b.holds) },
		{ key: 'message', label: 'Else it is said', text: s.text(b.message) },
		{ key: 'blocking', label: 'Then', text: b.blocking ? 'the change is refused' : 'it is advice' },
		saidWhen(b.always)
	],
	map: (b, on) => ({
		...b,
		holds: on.formula(b.holds, 'formula 0'),
		message: on.text(b.message, 'message')
	}),
	carried: (b) => b,
	source: () => null,
	constants: none,
	tables: none,
	repairs: {},
	compile(b, c) {
		const holds = c.formula(b.holds, 'formula 0', BOOLEAN);
		const said = c.text(b.message, 'message', 'Write what is said when it does not hold.');
		return {
			kind: 'check',
			holds: holds?.run ?? null,
			asked: holds?.expr ?? null,
			allowed: null,
			message: (env) => plainText(said.pieces(env)),
			blocking: b.blocking,
			always: b.always,
			reads: holds?.reads ?? [],
			events: holds?.events ?? []
		};
	},
	asks: (b) => b.holds,
	blocks: (b) => b.blocking,
	tries: none,
	alterations: (b) => [
		{ slip: 'weight changed', body: { ...b, blocking: !b.blocking } },
		{ slip: 'weight changed', body: { ...b, always: !b.always } }
	]
};
