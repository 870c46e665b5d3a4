/** A rule as a decision of the DMN standard, and what of it DMN has no place for. */
import type { Schema } from '../document/model';
import { ENTRY_LABEL, HOLD_VERB, type Rule } from '../document/rules';
import { kindOf } from '../kinds';
import { DecisionWords, type DecisionForm } from '../kinds/decision';

/** The form of a rule, and what of it DMN cannot say; null where DMN has no form for its kind. */
export function decisionOf(
	rule: Rule,
	schema: Schema
): { form: DecisionForm | null; lost: string[] } {
	const made = kindOf(rule.body).decision(rule.body, new DecisionWords(rule, schema));
	if (!made) return { form: null, lost: ['its kind has no form in DMN'] };
	return { form: made.form, lost: [...made.lost, ...around(rule, schema)] };
}

/** What stands around a decision: when it applies, and how firmly it owns its field. */
function around(rule: Rule, schema: Schema): string[] {
	const out: string[] = [];
	if (rule.guard) out.push('its condition');
	if (rule.watch) out.push('the fields it watches');
	if (rule.entering) out.push('that it applies only when its condition comes to hold');
	if (rule.moments.length < 3) out.push('for which moments it is');
	if (rule.entryPoints)
		out.push(`that it is for ${rule.entryPoints.map((e) => ENTRY_LABEL[e]).join(', ')} only`);
	for (const o of rule.outputs) {
		const label = schema.field(rule.type, o.field)?.label ?? o.field;
		if (o.hold !== 'follow' || o.closed || o.adds)
			out.push(`that ${label} ${o.adds ? 'gains it' : HOLD_VERB[o.hold]}`);
	}
	if (rule.off) out.push('that it is switched off');
	return out;
}
