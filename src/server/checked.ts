/** The analysis of a draft, made once for each state of it. */
import type { Checked } from '../core/check/findings';
import { analyse } from '../core/check/findings';
import type { Model } from '../core/model/model';
import { Schema } from '../core/model/model';
import type { RuleSet } from '../core/model/rules';
import { compilePlan } from '../core/plan/plan';
import { zones } from '../runtime/zones';

const made = new Map<string, Checked>();

/** What the analysis says of a draft with this hash. */
export function checkedDraft(hash: string, model: Model, set: RuleSet): Checked {
	const had = made.get(hash);
	if (had) return had;
	const checked = analyse(compilePlan(new Schema(model), set), set, zones);
	if (made.size > 10) made.clear();
	made.set(hash, checked);
	return checked;
}
