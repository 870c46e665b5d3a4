/**
 * An edit of the rows of a living table while it is made: nothing of it counts before it is put in force, and it is there
 * again after a reload. What somebody else makes of the same rows meanwhile is told, and taken or overruled by choice.
 */
import {
	beyond,
	cellsOf,
	countEdits,
	editsBetween,
	sameCells,
	type JsonValue,
	type LivingRow,
	type ReferenceTable,
	type RowEdit
} from '$core';

type Pending = ReadonlyMap<string, RowEdit>;

/** A row as the page shows it. */
export interface LiveRow {
	id: string;
	cells: LivingRow['cells'];
	is: 'same' | 'new' | 'changed' | 'gone';
	/** Somebody else made it otherwise since this edit found it; null there where they took it away. */
	theirs?: LivingRow['cells'] | null;
}

/** A row that stands, as an edit is to make it. */
function edited(stands: LiveRow, { before, after }: RowEdit): LiveRow {
	const { id, cells } = stands;
	if (sameCells(after, cells)) return stands;
	const theirs = sameCells(before, cells) ? {} : { theirs: cells };
	return after === null
		? { id, cells, is: 'gone', ...theirs }
		: { id, cells: after, is: 'changed', ...theirs };
}

export class LiveRows {
	#pending = $state.raw<Pending>(new Map());
	#past: Pending[] = $state.raw([]);
	#future: Pending[] = $state.raw([]);
	readonly #table: () => ReferenceTable;
	readonly #stands: () => readonly LivingRow[];

	/**
	 * @param place under which the edit is kept in this tab
	 * @param table with the columns that are shown
	 * @param stands the rows in force
	 */
	constructor(
		private readonly place: string,
		table: () => ReferenceTable,
		stands: () => readonly LivingRow[]
	) {
		this.#table = table;
		this.#stands = stands;
	}

	/** Goes on with what was begun in this tab. In the browser only. */
	takeUp() {
		if (this.#pending.size) return;
		try {
			const read = JSON.parse(sessionStorage.getItem(this.place) ?? '[]') as RowEdit[];
			this.#pending = new Map(read.map((e) => [e.id, e]));
		} catch {
			// what cannot be read was not kept by us
		}
	}

	readonly #at = $derived.by(() => new Map(this.#stands().map((r) => [r.id, r.cells])));

	/** The rows that stand, of which an edit puts others in the place of a few: the rest are the very same. */
	readonly #standing = $derived.by(() =>
		this.#stands().map(({ id, cells }): LiveRow => ({ id, cells, is: 'same' }))
	);
	readonly #places = $derived.by(() => new Map(this.#standing.map((r, i) => [r.id, i])));

	/** Rows as they are to be, in the order of those that stand; new ones last. */
	readonly shown: readonly LiveRow[] = $derived.by(() => {
		const rows = this.#standing.slice();
		for (const e of this.#pending.values()) {
			const i = this.#places.get(e.id);
			if (i !== undefined) rows[i] = edited(rows[i], e);
			else if (e.after)
				rows.push({
					id: e.id,
					cells: e.after,
					is: e.before ? 'changed' : 'new',
					...(e.before ? { theirs: null } : {})
				});
		}
		return rows;
	});

	/** The cells of a row in the order of the columns, made once as long as those stay. */
	readonly #inColumns = $derived.by(() => {
		const { columns } = this.#table();
		const made = new WeakMap<LiveRow, JsonValue[]>();
		return (r: LiveRow): JsonValue[] => {
			const had = made.get(r);
			if (had) return had;
			const cells = columns.map((c): JsonValue => r.cells[c.id] ?? null);
			made.set(r, cells);
			return cells;
		};
	});

	/** The table with these rows. */
	readonly table: ReferenceTable = $derived.by(() => ({
		...this.#table(),
		rows: this.shown.map(this.#inColumns)
	}));

	/** What is to be put in force. */
	readonly edits: RowEdit[] = $derived.by(() =>
		[...this.#pending.values()].filter(
			(e) =>
				!sameCells(e.before, e.after) &&
				!sameCells(this.#at.get(e.id) ?? null, e.after) &&
				// a new row in which nothing was written yet
				!(e.before === null && e.after && !Object.keys(e.after).length)
		)
	);
	readonly counts = $derived(countEdits(this.edits));
	readonly overtaken = $derived(this.shown.filter((r) => r.theirs !== undefined));
	readonly undoLabel = $derived(this.#past.length ? 'rows' : null);
	readonly redoLabel = $derived(this.#future.length ? 'rows' : null);

	#become(next: Pending) {
		this.#past = [...this.#past.slice(-199), this.#pending];
		this.#future = [];
		this.#keep(next);
	}

	#keep(next: Pending) {
		this.#pending = next;
		try {
			if (next.size) sessionStorage.setItem(this.place, JSON.stringify([...next.values()]));
			else sessionStorage.removeItem(this.place);
		} catch {
			// a full or closed store: it stays until the page is left
		}
	}

	/** Puts rows in the place of those that are shown, by place; more are new ones. */
	put(rows: readonly { at: number; row: readonly JsonValue[] }[]) {
		const next = new Map(this.#pending);
		for (const { at, row } of rows) {
			const one = this.shown[at] as LiveRow | undefined;
			const id = one?.id ?? freshId();
			const before = this.#pending.get(id)?.before ?? this.#at.get(id) ?? null;
			next.set(id, { id, before, after: this.#cells(one?.cells ?? {}, row) });
		}
		this.#become(next);
	}

	/** With what stands in columns that are not shown. */
	#cells(had: LivingRow['cells'], row: readonly JsonValue[]): LivingRow['cells'] {
		const t = this.#table();
		return { ...beyond(t, had), ...cellsOf(t, row) };
	}

	/** Takes a row away, or puts it back. */
	remove(at: number) {
		const { id, is } = this.shown[at];
		const next = new Map(this.#pending);
		const before = next.get(id)?.before ?? this.#at.get(id) ?? null;
		if (is === 'gone' || before === null) next.delete(id);
		else next.set(id, { id, before, after: null });
		this.#become(next);
	}

	/** Rows of a file take the place of all that stand: those found by the same key are the same row. */
	replace(rows: readonly (readonly JsonValue[])[]) {
		const t = this.#table();
		const cells = rows.map((r) => cellsOf(t, r));
		const edits = editsBetween(t, this.#stands(), cells, freshId);
		this.#become(new Map(edits.map((e) => [e.id, e])));
	}

	/** Of a row that somebody else made otherwise: takes theirs, or goes on with one's own upon theirs. */
	settle(id: string, take: 'theirs' | 'mine') {
		const next = new Map(this.#pending);
		const e = next.get(id)!;
		const before = this.#at.get(id) ?? null;
		if (take === 'theirs' || (before === null && e.after === null)) next.delete(id);
		else next.set(id, { ...e, before });
		this.#become(next);
	}

	/** Nothing of it is to be. */
	discard() {
		this.#become(new Map());
	}

	/** It is in force: what is left is what was typed meanwhile. */
	stored(edits: readonly RowEdit[]) {
		const next = new Map(this.#pending);
		for (const e of edits) {
			const now = next.get(e.id);
			if (now && sameCells(now.after, e.after)) next.delete(e.id);
			else if (now) next.set(e.id, { ...now, before: e.after });
		}
		this.#past = this.#future = [];
		this.#keep(next);
	}

	undo(): string | null {
		const last = this.#past.at(-1);
		if (!last) return null;
		this.#future = [...this.#future, this.#pending];
		this.#past = this.#past.slice(0, -1);
		this.#keep(last);
		return 'Undone: the last change of rows, which was not in force.';
	}

	redo(): string | null {
		const next = this.#future.at(-1);
		if (!next) return null;
		this.#past = [...this.#past, this.#pending];
		this.#future = this.#future.slice(0, -1);
		this.#keep(next);
		return 'Done again: the last change of rows.';
	}
}

const freshId = () => `r_${crypto.randomUUID().slice(0, 12)}`;
