/** What an analysis may know beside the rule set: history, trials, and what the one before it said. */
import type { Model, ReferenceTable } from '../document/model';
import type { RuleSet } from '../document/rules';
import type { Trial } from '../trials/trials';
import type { Checked, Finding, Overruled } from './types';

/** What was said of one rule, and all that it rests on. */
interface Said extends Checked {
	on: readonly unknown[];
}

/** What an analysis said of each rule and table, for the next one: only what an edit touches is looked at again. */
export class Kept {
	private rules = new Map<string, Said>();
	private tables = new Map<string, { on: readonly unknown[]; findings: Finding[] }>();

	/** What was said of a rule, if what it rests on is the same; else what `look` says. */
	rule(id: string, on: readonly unknown[], look: () => Checked): Checked {
		const had = this.rules.get(id);
		if (had && alike(had.on, on)) return had;
		const said = { on, ...look() };
		this.rules.set(id, said);
		return said;
	}

	table(table: ReferenceTable, model: Model, look: () => Finding[]): Finding[] {
		const on = [table, model];
		const had = this.tables.get(table.id);
		if (had && alike(had.on, on)) return had.findings;
		const findings = look();
		this.tables.set(table.id, { on, findings });
		return findings;
	}

	/** What was said of a rule, the same object as long as nothing looked again. */
	of(rule: string): Checked | undefined {
		return this.rules.get(rule);
	}

	/** Forgets what is no longer there. */
	only(set: RuleSet) {
		const rules = new Set(set.rules.map((r) => r.id));
		for (const id of this.rules.keys()) if (!rules.has(id)) this.rules.delete(id);
		const tables = new Set(set.tables?.map((t) => t.id));
		for (const id of this.tables.keys()) if (!tables.has(id)) this.tables.delete(id);
	}
}

/** What else an analysis may know. */
export interface Beside {
	/** By claim: what history tells of values that people set otherwise. */
	overruled?: Readonly<Record<string, Overruled>>;
	trials?: readonly Trial[];
	/**
	 * What the last analysis said. What it rests on is compared by identity, so who keeps it hands in the
	 * same objects for what was not edited.
	 */
	kept?: Kept;
}

const alike = (a: readonly unknown[], b: readonly unknown[]) =>
	a.length === b.length && a.every((x, i) => x === b[i]);
