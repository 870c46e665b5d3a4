/** What a rehearsal came to, added up so that it never grows with the records. */
import { isNumeric, type Field } from '../document/model';
import { toJson, type JsonValue } from '../fields/codec';
import { add, parseNum, Num } from '../value/num';
import { isBlank, type Value } from '../value/value';
import type { Move } from './record';

/** Moves that are told apart while a field is counted, and that are told of it. */
const MOVES = 1000;
const MOVES_TOLD = 60;
const LARGEST = 10;
const TEXTS = 3;

/** How many records have a number of two significant digits, which are enough to draw a spread. */
export type Bins = [value: number, records: number][];

/** The numbers of a field in the records that come out otherwise, on one side. */
export interface Side {
	/** Exact, as text. */
	sum: string;
	blank: number;
	bins: Bins;
}

export interface RehearsedField {
	type: string;
	field: string;
	/** Records in which the later rules give another value than the earlier. */
	count: number;
	/** How many go from which value to which, the most frequent first. */
	moves: { from: JsonValue; to: JsonValue; count: number }[];
	/** The claims that give the new values, or no longer give the old ones; null for none. */
	by: { claim: string | null; count: number }[];
	/** Those where somebody entered the stored value, and the later rules would write another over it. */
	overwritten: number;
	/** Those that come out blank and did not before. */
	blanked: number;
	/** Of a number: how it shifts, with the largest changes. */
	shift: {
		before: Side;
		after: Side;
		largest: { id: string; title: string; from: string; to: string }[];
	} | null;
}

/** Records that a check or a required field would refuse, and did not by the earlier rules. */
export interface RehearsedRefusal {
	type: string;
	field: string;
	claim: string;
	count: number;
	/** What it says at the first of them. */
	text: string;
	/** Accounts that set values of these records, and of how many: who will meet it. */
	people: { account: string; count: number }[];
}

/** Messages that would leave if the records were saved with what the later rules give. */
export interface RehearsedSending {
	type: string;
	claim: string;
	/** Messages, and the records that they are about. */
	count: number;
	records: number;
	/** The first of them. */
	texts: { title: string; to: string; subject: string; text: string }[];
}

export interface Rehearsal {
	looked: number;
	/** Records in which any value would differ. */
	records: number;
	/** Records that have more linked ones coming out otherwise than were followed: read as they are stored. */
	partly: number;
	fields: RehearsedField[];
	refused: RehearsedRefusal[];
	sends: RehearsedSending[];
}

/** People of a refusal that are told. */
const PEOPLE = 20;

interface FieldCount {
	of: RehearsedField;
	moves: Map<string, RehearsedField['moves'][number]>;
	by: Map<string | null, number>;
	sides: Map<number, number>[] | null;
}

const ascending = (a: [number, number], b: [number, number]) => a[0] - b[0];
const descending = (a: { count: number }, b: { count: number }) => b.count - a.count;
const sumOf = (a: string, b: Value | string) =>
	String(add(parseNum(a)!, b instanceof Num ? b : parseNum(String(b))!));
const gap = ({ from, to }: { from: string; to: string }) => Math.abs(Number(to) - Number(from));
const rounded = (v: Value) => Number(Number(String(v)).toPrecision(2));

/** Adds up records, and what other ranges came to. */
export class Tally {
	private readonly fields = new Map<string, FieldCount>();
	private readonly refused = new Map<string, RehearsedRefusal>();
	private readonly sends = new Map<string, RehearsedSending>();
	looked = 0;
	records = 0;
	partly = 0;

	/** Counts a field of a record. */
	move(
		type: string,
		field: Field,
		m: Move,
		at: { id: string; title: string; overwritten: boolean }
	): void {
		const [from, to] = [toJson(m.from), toJson(m.to)];
		const numeric = isNumeric(field);
		const side = (v: Value): Side =>
			isBlank(v)
				? { sum: '0', blank: 1, bins: [] }
				: { sum: String(v), blank: 0, bins: [[rounded(v), 1]] };
		this.add({
			type,
			field: field.id,
			count: 1,
			moves: [{ from, to, count: 1 }],
			by: [{ claim: m.claim, count: 1 }],
			overwritten: Number(at.overwritten),
			blanked: Number(isBlank(m.to) && !isBlank(m.from)),
			shift: numeric
				? {
						before: side(m.from),
						after: side(m.to),
						largest:
							isBlank(m.from) || isBlank(m.to)
								? []
								: [{ id: at.id, title: at.title, from: String(from), to: String(to) }]
					}
				: null
		});
	}

	/** Counts a refusal of a record. @param people accounts that set values of it */
	refuse(r: Omit<RehearsedRefusal, 'count' | 'people'>, people: ReadonlySet<string>): void {
		this.addRefusal({
			...r,
			count: 1,
			people: [...people].map((account) => ({ account, count: 1 }))
		});
	}

	/** Counts the messages of one claim about one record. */
	send(s: Omit<RehearsedSending, 'records'>): void {
		this.addSending({ ...s, records: 1 });
	}

	/** Takes over what a range came to. */
	take(r: Rehearsal): void {
		this.looked += r.looked;
		this.records += r.records;
		this.partly += r.partly;
		r.fields.forEach((f) => this.add(f));
		r.refused.forEach((x) => this.addRefusal(x));
		r.sends.forEach((x) => this.addSending(x));
	}

	private add(more: RehearsedField) {
		const key = `${more.type}.${more.field}`;
		let had = this.fields.get(key);
		if (!had) {
			const empty = { sum: '0', blank: 0, bins: [] };
			had = {
				of: {
					...more,
					count: 0,
					overwritten: 0,
					blanked: 0,
					shift: more.shift && { before: { ...empty }, after: { ...empty }, largest: [] }
				},
				moves: new Map(),
				by: new Map(),
				sides: more.shift && [new Map(), new Map()]
			};
			this.fields.set(key, had);
		}
		const { of, moves, by, sides } = had;
		of.count += more.count;
		of.overwritten += more.overwritten;
		of.blanked += more.blanked;
		for (const m of more.moves) {
			const name = JSON.stringify([m.from, m.to]);
			const known = moves.get(name);
			if (known) known.count += m.count;
			else if (moves.size < MOVES) moves.set(name, { ...m });
		}
		for (const { claim, count } of more.by) by.set(claim, (by.get(claim) ?? 0) + count);
		if (!more.shift || !of.shift) return;
		(['before', 'after'] as const).forEach((name, i) => {
			const [mine, theirs] = [of.shift![name], more.shift![name]];
			mine.sum = sumOf(mine.sum, theirs.sum);
			mine.blank += theirs.blank;
			for (const [v, n] of theirs.bins) sides![i].set(v, (sides![i].get(v) ?? 0) + n);
		});
		const { largest } = of.shift;
		for (const x of more.shift.largest) {
			if (largest.length === LARGEST && gap(x) <= gap(largest[LARGEST - 1])) continue;
			const at = largest.findIndex((y) => gap(y) < gap(x));
			largest.splice(at < 0 ? largest.length : at, 0, x);
			largest.length = Math.min(largest.length, LARGEST);
		}
	}

	private addRefusal(more: RehearsedRefusal) {
		const had = this.refused.get(more.claim);
		if (!had) {
			this.refused.set(more.claim, { ...more, people: more.people.map((p) => ({ ...p })) });
			return;
		}
		had.count += more.count;
		for (const p of more.people) {
			const known = had.people.find((x) => x.account === p.account);
			if (known) known.count += p.count;
			else had.people.push({ ...p });
		}
	}

	private addSending(more: RehearsedSending) {
		const had = this.sends.get(more.claim);
		if (!had) {
			this.sends.set(more.claim, { ...more, texts: more.texts.slice(0, TEXTS) });
			return;
		}
		had.count += more.count;
		had.records += more.records;
		had.texts.push(...more.texts.slice(0, TEXTS - had.texts.length));
	}

	/** All of it, the fields with most records first. @param whole told of everything, and not of a range */
	told(whole: boolean): Rehearsal {
		return {
			looked: this.looked,
			records: this.records,
			partly: this.partly,
			fields: [...this.fields.values()]
				.map(({ of, moves, by, sides }) => ({
					...of,
					moves: [...moves.values()].sort(descending).slice(0, whole ? MOVES_TOLD : MOVES),
					by: [...by].map(([claim, count]) => ({ claim, count })).sort(descending),
					shift: of.shift && {
						...of.shift,
						before: { ...of.shift.before, bins: [...sides![0]].sort(ascending) },
						after: { ...of.shift.after, bins: [...sides![1]].sort(ascending) }
					}
				}))
				.sort(descending),
			refused: [...this.refused.values()]
				.map((r) => ({
					...r,
					people: [...r.people].sort(descending).slice(0, whole ? PEOPLE : Infinity)
				}))
				.sort(descending),
			sends: [...this.sends.values()].sort(descending)
		};
	}
}

/** What the ranges came to, taken together in their order. */
export function together(ranges: readonly Rehearsal[]): Rehearsal {
	const tally = new Tally();
	ranges.forEach((r) => tally.take(r));
	return tally.told(true);
}
