/** What a replay came to: how changes would have come out otherwise, by whom, by which road and on which day. */
import { refKey, type Schema } from '../document/model';
import type { EntryPoint } from '../document/rules';
import { isBlank } from '../value/value';
import { Tally, type Rehearsal, type RehearsedRefusal, type RehearsedSending } from './count';
import type { ReplayedChange } from './replay';

/** Why a change was not made again: what is recorded of it stands for what became of it. */
export type LeftOut = 'nothing sent' | 'model' | 'no record';

interface Part {
	/** Changes that come out otherwise, of how many. */
	count: number;
	of: number;
}

/** What a replay tells besides what a rehearsal does. Its records are changes. */
export interface Retold {
	/** Recorded in the period; the others could not be made again, for these reasons. */
	changes: number;
	left: { why: LeftOut; count: number }[];
	/** Values that would be otherwise only because an earlier change came out otherwise. */
	follows: number;
	/**
	 * Changes of which the earlier rule set itself makes something else than is recorded, and values by field: other
	 * rules were in force then, or history does not say all.
	 */
	otherwise: { changes: number; fields: { type: string; field: string; count: number }[] };
	/** Values of records of which history does not show how they came to be what they are. */
	gaps: number;
	/** Linked records beyond the most for one transaction: they were left as they are recorded. */
	deferred: number;
	people: ({ account: string | null } & Part)[];
	roads: ({ entryPoint: EntryPoint } & Part)[];
	/** By calendar day, in their order. */
	days: ({ day: string } & Part)[];
	/** Messages that left by the earlier rule set, and would not by the later. */
	unsent: RehearsedSending[];
	/** Changes that were refused when they were sent; and what of it the later rule set alone would take. */
	refusals: number;
	admitted: RehearsedRefusal[];
}

/** Who made a change, by which road, when. */
export interface ChangeHead {
	account: string | null;
	entryPoint: EntryPoint;
	/** Calendar day in the workspace's zone. */
	day: string;
}

const more = (map: Map<string, Part>, key: string, otherwise: boolean) => {
	const had = map.get(key) ?? { count: 0, of: 0 };
	map.set(key, { count: had.count + Number(otherwise), of: had.of + 1 });
};
const most = (a: Part, b: Part) => b.count - a.count || b.of - a.of;

/** Adds up changes as they are replayed: what it holds does not grow with them. */
export class Retelling {
	private readonly tally = new Tally();
	/** What is counted beside it in the same way. */
	private readonly beside = new Tally();
	private readonly leftOut = new Map<LeftOut, number>();
	private readonly otherwise = new Map<string, number>();
	private readonly people = new Map<string, Part>();
	private readonly roads = new Map<string, Part>();
	private readonly days = new Map<string, Part>();
	private changes = 0;
	private follows = 0;
	private otherwiseIn = 0;
	private deferred = 0;
	private refusals = 0;
	gaps = 0;

	constructor(private readonly schema: Schema) {}

	/** A change that could not be made again. */
	left(why: LeftOut, head: ChangeHead): void {
		this.changes++;
		this.leftOut.set(why, (this.leftOut.get(why) ?? 0) + 1);
		more(this.days, head.day, false);
	}

	/**
	 * A change that was.
	 * @param titles of the records by `type.id`
	 * @param otherwise fields (`type.field`) of which the earlier rule set makes something else than is recorded
	 */
	take(
		r: ReplayedChange,
		head: ChangeHead,
		titles: ReadonlyMap<string, string>,
		otherwise: readonly string[]
	): void {
		const { tally, beside, schema } = this;
		const differs = r.moves.length + r.refused.length + r.sends.length + r.unsent.length > 0;
		this.changes++;
		tally.looked++;
		tally.records += Number(differs);
		this.deferred += r.deferred;
		more(this.people, head.account ?? '', differs);
		more(this.roads, head.entryPoint, differs);
		more(this.days, head.day, differs);
		if (otherwise.length) this.otherwiseIn++;
		for (const f of otherwise) this.otherwise.set(f, (this.otherwise.get(f) ?? 0) + 1);
		const titleOf = (x: { type: string; id: string }) => titles.get(refKey(x.type, x.id)) ?? '';
		for (const m of r.moves) {
			const field = schema.type(m.type).type.fields[m.index];
			const at = { id: m.id, title: titleOf(m), overwritten: m.entered && !isBlank(m.from) };
			tally.move(m.type, field, { ...m, stored: m.from }, at);
			this.follows += Number(m.follows);
		}
		for (const { type, message } of r.refused) {
			const { field, claim, text } = message;
			tally.refuse(
				{ type, field, claim, text },
				new Set(head.account === null ? [] : [head.account])
			);
		}
		for (const [to, all] of [
			[tally, r.sends],
			[beside, r.unsent]
		] as const)
			for (const s of all) {
				const { claim, to: whom, subject, text } = s.message;
				const texts = [{ title: titleOf(s), to: whom, subject, text }];
				to.send({ type: s.type, claim, count: 1, texts });
			}
	}

	/** A change that was refused when it was sent. @param admitted by what, where only the earlier rule set refuses it */
	refusal(
		admitted: Omit<RehearsedRefusal, 'count' | 'people'> | null,
		account: string | null
	): void {
		this.refusals++;
		if (admitted) this.beside.refuse(admitted, new Set(account === null ? [] : [account]));
	}

	told(): Rehearsal & { replay: Retold } {
		const beside = this.beside.told(true);
		return {
			...this.tally.told(true),
			replay: {
				changes: this.changes,
				left: [...this.leftOut].map(([why, count]) => ({ why, count })),
				follows: this.follows,
				otherwise: {
					changes: this.otherwiseIn,
					fields: [...this.otherwise]
						.map(([key, count]) => {
							const [type, field] = key.split('.');
							return { type, field, count };
						})
						.sort((a, b) => b.count - a.count)
				},
				gaps: this.gaps,
				deferred: this.deferred,
				people: [...this.people].map(([a, part]) => ({ account: a || null, ...part })).sort(most),
				roads: [...this.roads]
					.map(([entryPoint, part]) => ({ entryPoint: entryPoint as EntryPoint, ...part }))
					.sort(most),
				days: [...this.days]
					.map(([day, part]) => ({ day, ...part }))
					.sort((a, b) => (a.day < b.day ? -1 : 1)),
				unsent: beside.sends,
				refusals: this.refusals,
				admitted: beside.refused
			}
		};
	}
}
