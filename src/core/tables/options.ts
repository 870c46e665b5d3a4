/** Cells of decision tables that ask for options, or for yes and no: read as what is picked, and made of it. */
import type { Expr, Test, Tests } from '../document/tree';

/** What is picked in a cell; nothing at all takes anything. */
export interface Picked {
	/** Identities of options; `true` and `false` for yes and no. */
	values: string[];
	/** Blank is one of them. */
	blank: boolean;
	/** It is none of them. */
	not: boolean;
}

/** What a cell picks from: the options of a list, or yes and no. */
export type PickedFrom = { list: string } | 'yesno';

/** What the tests of a cell pick, in its order; null where they say something else. */
export function pickedIn(tests: Tests, from: PickedFrom): Picked | null {
	const values: string[] = [];
	let blank = false;
	if (tests.tests.length === 1 && tests.tests[0].k === 'any')
		return tests.not ? null : { values, blank, not: false };
	for (const t of tests.tests) {
		if (t.k !== 'is') return null;
		const items = t.e.k === 'list' ? t.e.items : [t.e];
		for (const e of items) {
			const v = valueOf(e, from);
			if (v === null) blank = true;
			else if (v === undefined) return null;
			else if (!values.includes(v)) values.push(v);
		}
	}
	return { values, blank, not: tests.not };
}

function valueOf(e: Expr, from: PickedFrom): string | null | undefined {
	if (e.k === 'null') return null;
	if (from === 'yesno') return e.k === 'bool' ? String(e.v) : undefined;
	return e.k === 'option' && e.list === from.list ? e.option : undefined;
}

/** The tests of a cell in which something is picked. */
export function testsOf(p: Picked, from: PickedFrom): Tests {
	const is = (e: Expr): Test => ({ k: 'is', e });
	const tests = [
		...p.values.map((v) =>
			is(
				from === 'yesno'
					? { k: 'bool', v: v === 'true' }
					: { k: 'option', list: from.list, option: v }
			)
		),
		...(p.blank ? [is({ k: 'null' })] : [])
	];
	return tests.length ? { not: p.not, tests } : { not: false, tests: [{ k: 'any' }] };
}
