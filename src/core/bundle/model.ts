/** The model of a bundle put into the model here: what is missing is made, and what is otherwise is offered. */
import type { JsonValue } from '../document/json';
import type { Field, Model, Option, OptionList, RecordType } from '../document/model';
import { refKey } from '../document/model';
import { modelEditBetween, type Piece } from '../edit/edit';
import { freeOtherSide, modelFaults, modelPartName } from '../edit/model';
import { nameKey } from '../text/names';
import type { Identities } from './identities';
import type { Meeting } from './meet';

/** One thing that the model here would have otherwise. */
export interface ModelOffer {
	/** The path of its piece, as one text. */
	key: string;
	piece: Piece;
	/** `Headcount of Customer`. */
	name: string;
	/** What of it is otherwise, with what it is here and there; null of what is new as a whole. */
	says: { attribute: string; here: JsonValue | undefined; there: JsonValue | undefined } | null;
}

/** The model here with all that a bundle has, as the bundle has it; what it does not have stays. */
export function modelWith(
	from: Model,
	here: Model,
	ids: Identities,
	met: readonly Meeting[]
): Model {
	const isNew = new Set(met.filter((m) => m.isNew).map((m) => m.key));
	const unlike = new Set(met.filter((m) => m.unlike).map((m) => m.key));
	const typeOf = (id: string) => ids.types.get(id) ?? id;
	const fieldOf = (type: string, id: string) => ids.fields.get(refKey(type, id)) ?? id;

	/** A thing new here does not take a name that another has. */
	const namedFreely = <T extends { label: string }>(
		x: T,
		among: readonly { label: string }[]
	): T => {
		const taken = new Set(among.map((o) => nameKey(o.label)));
		let label = x.label;
		for (let n = 2; taken.has(nameKey(label)); n++) label = `${x.label} (${n})`;
		return label === x.label ? x : { ...x, label };
	};
	/** Those of the bundle among those here: met ones in their places, each new one behind its neighbour. */
	function merged<T extends { id: string; label: string }>(
		there: readonly T[],
		mine: readonly T[],
		on: { id: (t: T) => string; isNew: (t: T) => boolean; made: (t: T, had?: T) => T }
	): T[] {
		const out = [...mine];
		let behind = -1;
		for (const t of there) {
			const id = on.id(t);
			const at = out.findIndex((x) => x.id === id);
			if (on.isNew(t) || at < 0) {
				behind = behind < 0 ? out.length : behind + 1;
				out.splice(behind, 0, namedFreely(on.made(t), out));
			} else {
				out[at] = on.made(t, out[at]);
				behind = at;
			}
		}
		return out;
	}

	const option = (list: string) => (o: Option, had?: Option) => ({
		...o,
		id: had?.id ?? ids.options.get(refKey(list, o.id)) ?? o.id
	});
	const list = (l: OptionList, had?: OptionList): OptionList => ({
		id: had?.id ?? ids.lists.get(l.id) ?? l.id,
		label: l.label,
		options: merged(l.options, had?.options ?? [], {
			id: (o) => ids.options.get(refKey(l.id, o.id)) ?? o.id,
			isNew: (o) => isNew.has(`option ${refKey(l.id, o.id)}`),
			made: option(l.id)
		})
	});
	const field =
		(type: string) =>
		(f: Field, had?: Field): Field => {
			// values of one are none of the other: what it is here it stays
			if (had && unlike.has(`field ${refKey(type, f.id)}`)) return had;
			return {
				...f,
				id: had?.id ?? fieldOf(type, f.id),
				...(f.list === undefined ? {} : { list: ids.lists.get(f.list) ?? f.list }),
				...(f.target === undefined ? {} : { target: typeOf(f.target) }),
				...(f.currencyField === undefined ? {} : { currencyField: fieldOf(type, f.currencyField) })
			};
		};
	const type = (t: RecordType, had?: RecordType): RecordType => {
		const form = (there: readonly string[], mine: readonly string[] = []) => {
			const all = there.map((id) => fieldOf(t.id, id));
			return [...all, ...mine.filter((id) => !all.includes(id))];
		};
		return {
			id: had?.id ?? typeOf(t.id),
			label: t.label,
			plural: t.plural,
			title: fieldOf(t.id, t.title),
			fields: merged(t.fields, had?.fields ?? [], {
				id: (f) => fieldOf(t.id, f.id),
				isNew: (f) => isNew.has(`field ${refKey(t.id, f.id)}`),
				made: field(t.id)
			}),
			short: form(t.short, had?.short),
			columns: form(t.columns, had?.columns)
		};
	};
	const next: Model = {
		...here,
		lists: merged(from.lists, here.lists, {
			id: (l) => ids.lists.get(l.id) ?? l.id,
			isNew: (l) => isNew.has(`list ${l.id}`),
			made: list
		}),
		types: merged(from.types, here.types, {
			id: (t) => typeOf(t.id),
			isNew: (t) => isNew.has(`type ${t.id}`),
			made: type
		})
	};
	return withFreeSides(withFreePlurals(next, here));
}

/** New record types have a name of their own for several, too. */
function withFreePlurals(model: Model, here: Model): Model {
	const had = new Set(here.types.map((t) => t.id));
	const taken = new Set(here.types.flatMap((t) => [t.label, t.plural]).map(nameKey));
	return {
		...model,
		types: model.types.map((t) => {
			if (had.has(t.id)) return t;
			let plural = t.plural;
			for (let n = 2; taken.has(nameKey(plural)); n++) plural = `${t.plural} (${n})`;
			taken.add(nameKey(plural));
			return plural === t.plural ? t : { ...t, plural };
		})
	};
}

/** Where the other side of a link has a name that something else has already, it gets a free one. */
function withFreeSides(model: Model): Model {
	let next = model;
	for (const { path } of modelFaults(model)) {
		const [, typeId, , fieldId, attribute] = path;
		if (attribute !== 'inverse') continue;
		const t = next.types.find((x) => x.id === typeId);
		const f = t?.fields.find((x) => x.id === fieldId);
		if (!t || !f?.target) continue;
		const inverse = freeOtherSide(next, f.target, { type: t.id, field: f.id, label: f.label });
		next = {
			...next,
			types: next.types.map((x) =>
				x.id === t.id
					? { ...x, fields: x.fields.map((y) => (y.id === f.id ? { ...y, inverse } : y)) }
					: x
			)
		};
	}
	return next;
}

/**
 * What taking a bundle's model would do to the model here, thing by thing. Orders are left as they are, and nothing is taken
 * out.
 */
export function modelOffers(here: Model, wanted: Model): ModelOffer[] {
	return modelEditBetween('', here, wanted).pieces.flatMap((piece): ModelOffer[] => {
		const { path, before, after } = piece;
		const attribute = path.at(-1)!;
		if (attribute === '~order') return [];
		const whole = path.length % 2 === 0;
		return [
			{
				key: path.join(' '),
				piece,
				name: modelPartName(wanted, path),
				says: whole ? null : { attribute, here: before, there: after }
			}
		];
	});
}
