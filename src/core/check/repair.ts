/** Repairs of findings: what becomes of the rule set when one is taken. */
import type { Schema } from '../document/model';
import type { Rule, RuleSet } from '../document/rules';
import { repairBody } from '../kinds';
import type { Repair } from './types';

/** The rule set with a finding repaired; the same one when what it speaks of is gone. */
export function repaired(set: RuleSet, r: Repair, schema: Schema): RuleSet {
	if (r.do === 'add table row') {
		const tables = (set.tables ?? []).map((t) =>
			t.id === r.table
				? { ...t, rows: [...t.rows, t.columns.map((c) => (c.id === r.column ? r.value : null))] }
				: t
		);
		return { ...set, tables };
	}
	const rules = set.rules.map((rule) => (rule.id === r.rule ? repairRule(rule, r, schema) : rule));
	return { ...set, rules };
}

function repairRule(rule: Rule, r: Exclude<Repair, { do: 'add table row' }>, schema: Schema): Rule {
	switch (r.do) {
		case 'watch all':
			return { ...rule, watch: null };
		case 'watch less': {
			const watch = rule.watch?.filter((f) => f !== r.field) ?? null;
			return { ...rule, watch: watch?.length ? watch : null };
		}
		case 'every entry point':
			return { ...rule, entryPoints: null };
		case 'always':
			return { ...rule, guard: null, entering: false };
		default: {
			const body = repairBody(rule, r, schema);
			return body === rule.body ? rule : { ...rule, body };
		}
	}
}
