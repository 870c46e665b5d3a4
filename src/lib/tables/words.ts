/** Cells of reference tables as people read them. */
import { cellText, type JsonValue, type TableColumn } from '$core';
import type { Workbench } from '../work/workbench.svelte';

/** A value of a column: links by the title of their record, options by their label. */
export const sayCell = (w: Workbench, c: TableColumn, v: JsonValue): string =>
	c.type === 'link' && typeof v === 'string' && /^\d+$/.test(v)
		? (w.titles.all[`${c.target}.${v}`] ?? `No. ${v}`)
		: cellText(c, v, w.schema);
