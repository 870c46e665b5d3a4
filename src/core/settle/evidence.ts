/** What a rule did at a record and what it saw, noted where somebody asked. */
import type { Env, RecordView } from '../feel/env';
import type { TableTrace } from '../kinds/spec';
import type { Claim, MessageRule, Seen, Validator } from '../plan/plan';
import type { Value } from '../value/value';
import { setOffAt } from './conditions';
import type { Pass } from './pass';
import type { ClaimReport, Outcome, SeenValue } from './types';
import type { Working } from './working';

/** Notes what a claim did, where somebody asked. */
export function report(
	pass: Pass,
	rec: Working,
	c: Claim | Validator | MessageRule,
	outcome: Outcome,
	more?: Partial<ClaimReport>
) {
	rec.outcomes?.set(c.id, {
		claim: c.id,
		rule: c.rule.id,
		field: c.field.id,
		outcome,
		...more,
		...(outcome === 'outranked' ? {} : evidence(pass, rec, c))
	});
}

/** The guard's parts and the values read, where somebody asked. */
function evidence(
	pass: Pass,
	rec: Working,
	c: Claim | Validator | MessageRule
): Partial<ClaimReport> {
	if (!rec.outcomes || pass.options.explain === 'outcomes') return {};
	return pass.env.aside(() => seen(pass, rec, c));
}

/** What the rule saw, worked out aside. */
function seen(pass: Pass, rec: Working, c: Claim | Validator | MessageRule): Partial<ClaimReport> {
	const at = pass.nearby(() => setOffAt(pass, rec, c));
	const own = (seen: readonly Seen[]): SeenValue[] =>
		seen.flatMap((r) => {
			const value = valueOf(pass, rec, r);
			return value === undefined ? [] : [{ ...r, value }];
		});
	return {
		...('trace' in c && c.trace ? { table: traced(pass, c.trace) } : {}),
		guard: c.guardParts.map((p) => {
			pass.env.rec = at;
			const result = at ? safely(pass, p.run) : null;
			pass.env.rec = rec;
			const values = p.reads.flatMap((r) => {
				const value = at ? valueOf(pass, at, r) : undefined;
				return value === undefined ? [] : [{ ...r, value }];
			});
			return { text: p.text, result, values };
		}),
		reads: own(c.used)
	};
}

/** What a read gave: of the record itself, or of the one record that links lead to; undefined for many. */
function valueOf(pass: Pass, rec: RecordView, r: Seen): Value | undefined {
	if (r.many) return undefined;
	let view: RecordView | null = rec;
	for (const v of r.via) {
		const id: Value = view.settled[pass.schema.type(v.type).at.get(v.field)!];
		const { target } = pass.schema.field(v.type, v.field)!;
		view = typeof id === 'string' ? pass.nearby(() => pass.view(target!, id)) : null;
		if (!view) return null;
	}
	const j = pass.schema.type(r.type).at.get(r.field);
	return j === undefined ? null : view[r.image][j];
}

function traced(pass: Pass, trace: NonNullable<Claim['trace']>): TableTrace | undefined {
	try {
		return trace(pass.env);
	} catch {
		return undefined;
	}
}

function safely(pass: Pass, run: (env: Env) => Value): Value {
	try {
		return run(pass.env);
	} catch {
		return null;
	}
}
