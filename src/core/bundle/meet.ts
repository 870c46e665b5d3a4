/** What each part of a bundle is taken for in another workspace: proposed by identity and name, decided by people. */
import type { Field, Model } from '../document/model';
import type { RuleSet } from '../document/rules';
import { identityFor } from '../edit/model';
import { nameKey } from '../text/names';
import type { Identities } from './identities';

/** What a bundle is made of. */
export type MeetingPart =
	'type' | 'field' | 'list' | 'option' | 'definition' | 'table' | 'column' | 'rule' | 'trial';

/** A part of a bundle, and what it is taken for here. */
export interface Meeting {
	part: MeetingPart;
	/** `type customer`, `field customer.size`: by it a choice is kept. */
	key: string;
	/** Its identity in the bundle; the last part of the key. */
	id: string;
	label: string;
	/** The key of what it lies in; null of what stands by itself. */
	within: string | null;
	/** Its identity here: of what it is taken for, or, where it is new, the one that it gets. */
	here: string;
	isNew: boolean;
	/** What it is called here, where that is something else. */
	otherwise: string | null;
	/** By what it was recognised; null of what is new. */
	by: 'choice' | 'identity' | 'name' | 'code' | null;
	/** What they do not have alike, where values of one are none of the other. */
	unlike: string | null;
	/** What it could be taken for here; the same list for all of one kind in one place. */
	candidates: readonly { id: string; label: string }[];
}

/** What somebody decided, by the key of a part: an identity here, or null for something new. */
export type Choices = Readonly<Record<string, string | null>>;

/** Where a bundle comes from, or is to go to. */
export interface BundleSide {
	model: Model;
	set: RuleSet;
	trials: readonly { id: string; name: string }[];
}

interface Thing {
	id: string;
	label: string;
}

/** Ways to recognise one thing in another, the surest first: those with one key are the same. */
type Ways<T> = readonly {
	by: 'identity' | 'name' | 'code';
	/** Null of what is not recognised so. */
	key: (t: T) => string | null;
	/** What has to be so besides. */
	also?: (a: T, b: T) => boolean;
}[];

const PLAIN: Ways<Thing> = [
	{ by: 'identity', key: (t) => `${t.id} ${nameKey(t.label)}` },
	{ by: 'identity', key: (t) => t.id },
	{ by: 'name', key: (t) => nameKey(t.label) }
];

/** Everything that a bundle names, outer before inner, with what it is taken for here. */
export function meet(from: BundleSide, here: BundleSide, choices: Choices = {}): Meeting[] {
	const out: Meeting[] = [];
	/** What the parts of one kind that lie in one thing are taken for, each for one thing at most. */
	function pair<T extends Thing>(
		part: MeetingPart,
		there: readonly T[],
		mine: readonly T[],
		ways: Ways<T>,
		at: {
			within?: Meeting;
			fresh?: (t: T, taken: (id: string) => boolean) => string;
			unlike?: (a: T, b: T) => string | null;
		} = {}
	): Meeting[] {
		const prefix = at.within ? `${at.within.id}.` : '';
		const keyOf = (t: T) => `${part} ${prefix}${t.id}`;
		const byId = new Map(mine.map((x) => [x.id, x]));
		const by = new Map<T, { to: T; by: NonNullable<Meeting['by']> }>();
		const used = new Set<T>();
		const note = (a: T, b: T, how: NonNullable<Meeting['by']>) => {
			by.set(a, { to: b, by: how });
			used.add(b);
		};
		const said = (t: T) => (Object.hasOwn(choices, keyOf(t)) ? choices[keyOf(t)] : undefined);
		for (const a of there) {
			const b = byId.get(said(a) ?? '');
			if (b && !used.has(b)) note(a, b, 'choice');
		}
		for (const w of ways) {
			const open = there.filter((a) => !by.has(a) && said(a) !== null);
			if (!open.length) break;
			const byKey = new Map<string, T[]>();
			for (const b of mine) {
				const key = used.has(b) ? null : w.key(b);
				if (key === null) continue;
				const same = byKey.get(key);
				if (same) same.push(b);
				else byKey.set(key, [b]);
			}
			for (const a of open) {
				const key = w.key(a);
				const b =
					key !== null && byKey.get(key)?.find((x) => !used.has(x) && (!w.also || w.also(a, x)));
				if (b) note(a, b, w.by);
			}
		}
		const ids = new Set(byId.keys());
		const candidates = mine.map((x) => ({ id: x.id, label: x.label }));
		const made = there.map((a): Meeting => {
			const met = by.get(a);
			let id = met?.to.id;
			if (id === undefined) {
				id = at.fresh?.(a, (x) => ids.has(x)) ?? freeId(a.id, ids);
				ids.add(id);
			}
			return {
				part,
				key: keyOf(a),
				id: a.id,
				label: a.label,
				within: at.within?.key ?? null,
				here: id,
				isNew: !met,
				otherwise: met && nameKey(a.label) !== nameKey(met.to.label) ? met.to.label : null,
				by: met?.by ?? null,
				unlike: (met && at.unlike?.(a, met.to)) ?? null,
				candidates
			};
		});
		out.push(...made);
		return made;
	}

	// of types and fields, the identity names a table or a column
	const fresh = (t: Thing, taken: (id: string) => boolean) =>
		taken(t.id) ? identityFor(t.label, taken) : t.id;
	const lists = pair('list', from.model.lists, here.model.lists, PLAIN);
	const types = pair('type', from.model.types, here.model.types, PLAIN, {
		fresh
	});
	const listHere = new Map(lists.map((l) => [l.id, l.here]));
	const typeHere = new Map(types.map((t) => [t.id, t.here]));
	for (const l of lists)
		pair(
			'option',
			from.model.lists.find((x) => x.id === l.id)!.options,
			(!l.isNew && here.model.lists.find((x) => x.id === l.here)?.options) || [],
			[PLAIN[0], PLAIN[1], { by: 'code', key: (o) => o.code ?? null }, PLAIN[2]],
			{ within: l }
		);
	const unlike = (a: Field, b: Field) => unlikeFields(a, b, listHere, typeHere);
	for (const t of types)
		pair(
			'field',
			from.model.types.find((x) => x.id === t.id)!.fields,
			(!t.isNew && here.model.types.find((x) => x.id === t.here)?.fields) || [],
			// one that holds something else is not the same, unless nothing else is
			[...PLAIN.map((w) => ({ ...w, also: (a: Field, b: Field) => !unlike(a, b) })), ...PLAIN],
			{
				within: t,
				unlike,
				fresh
			}
		);
	const named = (xs: readonly { id: string; name: string }[] = []): Thing[] =>
		xs.map((x) => ({ id: x.id, label: x.name }));
	pair('definition', named(from.set.definitions), named(here.set.definitions), PLAIN);
	const tables = pair('table', from.set.tables ?? [], here.set.tables ?? [], PLAIN);
	for (const t of tables)
		pair(
			'column',
			from.set.tables!.find((x) => x.id === t.id)!.columns,
			(!t.isNew && here.set.tables?.find((x) => x.id === t.here)?.columns) || [],
			PLAIN,
			{ within: t }
		);
	// rules of other record types may be called alike
	const rulesOf = (side: BundleSide, type: (t: string) => string) =>
		side.set.rules.map((r) => ({ id: r.id, label: r.name, of: type(r.type) }));
	pair(
		'rule',
		rulesOf(from, (t) => typeHere.get(t) ?? t),
		rulesOf(here, (t) => t),
		PLAIN.map((w) => ({ ...w, also: (a, b) => a.of === b.of }))
	);
	pair('trial', named(from.trials), named(here.trials), PLAIN);
	return out;
}

/** What two fields do not have alike, so that values of one are none of the other; null when nothing. */
function unlikeFields(
	a: Field,
	b: Field,
	lists: ReadonlyMap<string, string>,
	types: ReadonlyMap<string, string>
): string | null {
	if (a.type !== b.type) return `${FIELD_WORDS[a.type]} there, ${FIELD_WORDS[b.type]} here`;
	if (a.list !== undefined && lists.get(a.list) !== b.list) return 'another option list here';
	if (a.target !== undefined && types.get(a.target) !== b.target)
		return 'a link to other records here';
	return null;
}

const FIELD_WORDS: Record<Field['type'], string> = {
	text: 'a text',
	email: 'an e-mail address',
	phone: 'a telephone number',
	number: 'a number',
	money: 'an amount',
	percent: 'a percentage',
	date: 'a date',
	moment: 'a date with a time',
	yesno: 'yes or no',
	choice: 'a choice',
	choices: 'a multi-choice',
	link: 'a link'
};

/** An identity, or where it is taken, with a number behind it. */
function freeId(id: string, taken: ReadonlySet<string>): string {
	for (let n = 2, next = id; ; next = `${id}_${n++}`) if (!taken.has(next)) return next;
}

/** What identities become by what was met. @param records by `type.id` of the bundle */
export function identitiesOf(
	met: readonly Meeting[],
	records: Identities['records']
): Identities & { trials: ReadonlyMap<string, string> } {
	const of = (part: MeetingPart): Map<string, string> => {
		const own = met.filter((m) => m.part === part);
		return new Map(own.map((m) => [m.key.slice(part.length + 1), m.here]));
	};
	return {
		types: of('type'),
		fields: of('field'),
		lists: of('list'),
		options: of('option'),
		rules: of('rule'),
		definitions: of('definition'),
		tables: of('table'),
		columns: of('column'),
		trials: of('trial'),
		records
	};
}
