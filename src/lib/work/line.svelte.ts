/** How many values are out of line, by field, for the ledger: asked beside the page, so that none waits for it. */
import { refKey } from '$core';
import type { LineCount } from '$server/db/line';
import { ask } from './http';

export class OutOfLine {
	/** Values that rules in force would make something else, by `type.field`; empty while nobody has asked. */
	open = $state.raw<ReadonlyMap<string, number>>(new Map());

	async load(): Promise<void> {
		let counts: LineCount[];
		try {
			counts = await ask<LineCount[]>('/lines');
		} catch {
			// what was known stands; the next page asks again
			return;
		}
		const open = new Map<string, number>();
		for (const c of counts) {
			const key = refKey(c.type, c.field);
			const n = c.open + c.failed;
			if (n) open.set(key, (open.get(key) ?? 0) + n);
		}
		this.open = open;
	}
}
