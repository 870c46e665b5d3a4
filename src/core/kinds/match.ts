/** The record of a type whose fields meet some values, as a link. */
import type { MatchHow } from '../document/rules';
import type { Compiled, Read } from '../feel/env';
import { TEXT, sayType, typeOfField } from '../feel/types';
import type { MatchKey } from '../fields/match';
import { matchHows, matchKey } from '../fields/match';
import { leftOut } from './altered';
import type { Altered, BodyOf, Flaw, Look, Witness, Writes } from './spec';
import { none } from './spec';

type Match = BodyOf<'match'>;

/** Most matches that are told. */
const MOST_TOLD = 20;

export const match: Writes<Match> = {
	does: 'writes',
	offers: ({ schema, field }) => {
		if (field.type !== 'link') return [];
		const target = schema.type(field.target!).type;
		return [
			{
				verb: 'map',
				label: 'A record that matches',
				help: `the ${target.label.toLowerCase()} whose fields have what stands here`,
				also: 'match find link text',
				name: 'matched',
				likely: 92,
				// to begin with: the title of the records searched, in any writing
				make: () => ({
					kind: 'match',
					type: target.id,
					on: [{ field: target.title, how: 'loose', value: { text: '' } }],
					several: 'leave'
				})
			}
		];
	},
	decision: () => null,
	said(b, s) {
		const how = { exact: 'is', loose: 'is, in any writing,', domain: 'is of the domain of' };
		const target = s.schema.types.get(b.type)?.type.label.toLowerCase() ?? b.type;
		return [
			{
				key: 'on',
				label: `The ${target} whose`,
				text: b.on
					.map((o) => {
						const label = s.schema.field(b.type, o.field)?.label ?? o.field;
						return `${label} ${how[o.how]} ${s.gives(o.value)}`;
					})
					.join(' and ')
			},
			{ key: 'several', label: 'Where several match', text: b.several }
		];
	},
	map: (b, on) => ({
		...b,
		on: b.on.map((o, i) => ({ ...o, value: on.formula(o.value, `key ${i}`) }))
	}),
	carried: (b, c) => ({
		...b,
		type: c.type(b.type),
		on: b.on.map((o) => ({ ...o, field: c.field(b.type, o.field) }))
	}),
	source: () => null,
	constants: none,
	tables: none,
	repairs: { 'leave several': (b) => ({ ...b, several: 'leave' }) },
	compile(b, c) {
		const { schema } = c;
		const target = schema.types.get(b.type);
		if (!target) {
			c.unsaid('input', 'Choose the record type to search.');
			return null;
		}
		if (!b.on.length) {
			c.unsaid('input', 'Say which field is to have which value.');
			return null;
		}
		const keys = b.on.map(({ field: id, how, value }, k) => {
			const f = schema.field(b.type, id);
			if (!f || !matchHows(f).includes(how)) {
				c.unsaid(`column ${k}`, 'Choose the field that must have this value, and how.');
				return null;
			}
			const key = c.formula(value, `key ${k}`, how === 'exact' ? typeOfField(f) : TEXT);
			return key && { c: key, field: id, how };
		});
		return (_, field) => {
			if (field.type !== 'link' || field.target !== b.type) {
				c.problem(
					'outputs',
					`A match among ${target.type.plural.toLowerCase()} gives a link to one; ${field.label} is ${sayType(typeOfField(field), schema)}.`
				);
				return null;
			}
			if (keys.some((k) => !k)) return null;
			return found(b, keys as { c: Compiled; field: string; how: MatchHow }[]);
		};
	},
	place: () => 'outputs',
	outputs: () => 'one',
	withoutOutput: (b) => b,
	unsteady: (label) =>
		`${label} is Locked, and which records match changes with every record; use Follow.`,
	finds: (b) => b.on.map(({ field, how }) => ({ type: b.type, field, how })),
	because(b, t) {
		const target = t.schema.type(b.type).type;
		if (t.outcome === 'blank' || (t.blank.length && !t.read.length))
			return `${t.blank.join(' and ') || 'what it looks for'} is blank`;
		const wanted = t.read.join(', ');
		const { found: ids } = t;
		if (!ids.length) return `no ${target.label.toLowerCase()} matches ${wanted}`;
		if (ids.length === 1) return `${ids[0]} matches ${wanted}`;
		const took = t.outcome !== 'several rows' && t.outcome !== 'left' && t.outcome !== 'cleared';
		const list = ids.slice(0, 5).join(', ') + (ids.length > 5 ? ' and more' : '');
		const many = `${ids.length}${ids.length === MOST_TOLD ? ' or more' : ''}`;
		const plural = target.plural.toLowerCase();
		return took
			? `${ids[0]} is the first of ${many} ${plural} that match ${wanted}: ${list}`
			: `${many} ${plural} match ${wanted}: ${list}`;
	},
	results: () => null,
	decides: () => null,
	givesNothing: () => 'try',
	flaws: none,
	doubts: (b, output, look) => takesTheFirst(b, output, look),
	tries: () => [
		{ key: 'one', label: 'a record matches' },
		{ key: 'no row', label: 'none matches', short: 'no row' },
		{ key: 'several', label: 'several match', short: 'several rows' },
		{ key: 'blank', label: 'what it looks for is blank', short: 'blank' }
	],
	alterations: (b) => [
		{
			slip: 'several decided otherwise',
			body: { ...b, several: b.several === 'first' ? 'leave' : 'first' }
		},
		...leftOut(b.on).map((on): Altered<Match> => ({
			slip: 'condition left out',
			body: { ...b, on }
		}))
	]
};

function found(
	b: Match,
	keys: readonly { c: Compiled; field: string; how: MatchHow }[]
): NonNullable<ReturnType<NonNullable<ReturnType<typeof match.compile>>>> {
	// which records match cannot be followed backwards, but what they are matched by is settled first
	const searched = keys.map((k): Read => ({
		type: b.type,
		field: k.field,
		image: 'settled',
		via: [],
		many: true,
		loose: true
	}));
	return {
		run: (env) => {
			const wanted: MatchKey[] = [];
			for (const { c, field, how } of keys) {
				const key = matchKey(how, c.run(env));
				if (key === null) return { got: false, why: 'blank' };
				wanted.push({ field, how, key });
			}
			const ids = env.matching(b.type, wanted);
			if (!ids.length) return { got: false, why: 'no row' };
			if (ids.length > 1 && b.several !== 'first') {
				const then = b.several === 'no result' ? {} : { then: b.several };
				return { got: false, why: 'several', found: ids.slice(0, MOST_TOLD), ...then };
			}
			return { got: true, value: ids[0], found: ids.slice(0, MOST_TOLD) };
		},
		reads: [...keys.flatMap((k) => k.c.reads), ...searched],
		events: keys.flatMap((k) => k.c.events),
		outside: new Set(keys.flatMap((k) => [...k.c.outside]))
	};
}

/** A match that takes the first of several without a word: shown with two records that match. */
function takesTheFirst(b: Match, output: number, look: Look): Flaw[] {
	if (b.several !== 'first') return [];
	const target = look.schema.type(b.type).type;
	const witness: Witness = { values: {}, near: [] };
	const values: Witness['values'] = {};
	for (const k of b.on) {
		const spot = look.spot(k.value);
		const f = look.schema.field(b.type, k.field)!;
		if (!spot || !['text', 'email', 'phone'].includes(f.type)) return [];
		const v = k.how === 'domain' || f.type === 'email' ? 'ann@fen.example' : 'Fen';
		look.put(witness, spot, v);
		values[k.field] = v;
	}
	for (const id of ['900000000000101', '900000000000102'])
		witness.near.push({ type: b.type, id, values });
	if (look.found(witness, output) < 2) return [];
	return [
		{
			is: 'first of several',
			at: '',
			place: 'input',
			message: `Several ${target.plural.toLowerCase()} can match; the one with the lowest number is taken, and nobody is told.`,
			witness,
			repair: { do: 'leave several', label: 'Leave the field when several match' }
		}
	];
}
