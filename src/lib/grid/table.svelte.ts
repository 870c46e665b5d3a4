/** How the rows of a grid are sorted and filtered and how wide its columns are, over TanStack Table. */
import {
	columnFilteringFeature,
	columnResizingFeature,
	columnSizingFeature,
	createFilteredRowModel,
	createSortedRowModel,
	createTable,
	functionalUpdate,
	rowSortingFeature,
	tableFeatures,
	type ColumnFiltersState,
	type ColumnSizingState,
	type SortingState
} from '@tanstack/svelte-table';
import { onMount } from 'svelte';
import { cellOf, filterOf, order, type GridColumn } from './columns';

/** A row with its place in the rows that were given. */
export interface Line<T> {
	row: T;
	at: number;
}
export interface Sorted {
	id: string;
	desc: boolean;
}
interface Options<T> {
	rows: () => readonly T[];
	columns: () => readonly GridColumn<T>[];
	key: (row: T, at: number) => string;
	/** Sorted by whoever gives the rows: how they are. */
	sorted: () => Sorted | null | undefined;
	/** And what a click on a head asks for. */
	onsort: () => ((sorted: Sorted | null) => void) | undefined;
	/** By which this browser keeps the widths. */
	remember?: string;
}

/** Narrowest column, in pixels. */
const NARROWEST = 40;

const features = tableFeatures({
	rowSortingFeature,
	sortedRowModel: createSortedRowModel(),
	columnFilteringFeature,
	filteredRowModel: createFilteredRowModel(),
	columnSizingFeature,
	columnResizingFeature
});

/** Made while its component is. */
export function gridTable<T>(o: Options<T>) {
	let sorting = $state.raw<SortingState>([]);
	let asked = $state.raw<ColumnFiltersState>([]);
	let sizes = $state.raw<ColumnSizingState>({});
	const outside = () => !!o.onsort();
	const sortedNow = (): SortingState => {
		const theirs = o.sorted();
		return outside() ? (theirs ? [theirs] : []) : sorting;
	};
	const lines = $derived(o.rows().map((row, at): Line<T> => ({ row, at })));
	const defs = $derived(
		o.columns().map((c) => ({
			id: c.id,
			// undefined is what the library puts last whichever way it sorts
			accessorFn: (l: Line<T>) => c.value(l.row) ?? undefined,
			sortUndefined: 'last' as const,
			sortFn: (
				a: { getValue(id: string): unknown },
				b: { getValue(id: string): unknown },
				id: string
			) => order(a.getValue(id) as string | number, b.getValue(id) as string | number),
			filterFn: (r: { original: Line<T> }, _: string, test: (row: T) => boolean) =>
				test(r.original.row),
			enableSorting: !c.plain,
			size: c.width,
			minSize: NARROWEST
		}))
	);
	const tests = $derived(
		asked.flatMap(({ id, value }) => {
			const c = o.columns().find((x) => x.id === id);
			const test = c && filterOf(c, value as string);
			return test ? [{ id, value: test }] : [];
		})
	);
	const table = createTable({
		features,
		get data() {
			return lines;
		},
		get columns() {
			return defs;
		},
		getRowId: (l: Line<T>) => o.key(l.row, l.at),
		columnResizeMode: 'onChange',
		sortDescFirst: false,
		get manualSorting() {
			return outside();
		},
		state: {
			get sorting() {
				return sortedNow();
			},
			get columnFilters() {
				return tests;
			},
			get columnSizing() {
				return sizes;
			}
		},
		onSortingChange: (u) => {
			const next = functionalUpdate(u, sortedNow());
			const ask = o.onsort();
			if (ask) ask(next[0] ?? null);
			else sorting = next;
		},
		onColumnSizingChange: (u) => {
			sizes = functionalUpdate(u, sizes);
		}
	});
	const shown = $derived(table.getRowModel().rows);
	const heads = $derived(table.getHeaderGroups()[0]?.headers ?? []);

	const place = o.remember && `widths ${o.remember}`;
	onMount(() => {
		if (!place) return;
		try {
			const kept: unknown = JSON.parse(localStorage.getItem(place) ?? '{}');
			if (kept && typeof kept === 'object')
				sizes = Object.fromEntries(
					Object.entries(kept).filter(
						([, n]) => typeof n === 'number' && n >= NARROWEST && n < 4000
					)
				);
		} catch {
			// what another version of the page kept there is of no use
		}
	});
	$effect(() => {
		if (place && Object.keys(sizes).length) localStorage.setItem(place, JSON.stringify(sizes));
	});

	return {
		/** The rows that are left, in their order. */
		get shown() {
			return shown;
		},
		/** Of each column what its handle needs. */
		head: (id: string) => heads.find((h) => h.column.id === id),
		/** The column that rows are sorted by. */
		get way(): Sorted | null {
			return sortedNow()[0] ?? null;
		},
		get filtered() {
			return tests.length > 0;
		},
		sortBy: (id: string) => table.getColumn(id)?.toggleSorting(),
		unsort() {
			sorting = [];
			o.onsort()?.(null);
		},
		/** What was typed as a column's filter. */
		typed: (id: string) => (asked.find((f) => f.id === id)?.value as string) ?? '',
		filter(id: string, value: string) {
			asked = [...asked.filter((f) => f.id !== id), ...(value ? [{ id, value }] : [])];
		},
		unfilter() {
			asked = [];
		},
		/** The texts that a column has, to pick one as its filter. */
		picks: (c: GridColumn<T>) =>
			[...new Set(o.rows().map((r) => cellOf(c, r)))].filter(Boolean).sort(order),
		/** Pixels that a column has. */
		width: (c: GridColumn<T>) => sizes[c.id] ?? c.width,
		/** Whether a person gave a column its width. */
		sized: (id: string) => id in sizes,
		/** Makes a column wider or narrower. */
		widen(c: GridColumn<T>, by: number) {
			sizes = { ...sizes, [c.id]: Math.max(NARROWEST, (sizes[c.id] ?? c.width) + by) };
		},
		/** Gives a column its first width again. */
		unsize(id: string) {
			sizes = Object.fromEntries(Object.entries(sizes).filter(([k]) => k !== id));
			if (place && !Object.keys(sizes).length) localStorage.removeItem(place);
		}
	};
}
