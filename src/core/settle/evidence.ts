/** What a rule did at a record and what it saw, noted where somebody asked. */
import type { Env, RecordView } from '../feel/env';
import type { TableTrace } from '../kinds/spec';
import type { Claim, GuardPart, MessageRule, Seen, Validator } from '../plan/plan';
import type { Value } from '../value/value';
import { setOffAt } from './conditions';
import type { Pass } from './pass';
import { FIRST } from './rolling';
import type { ClaimReport, Counted, Outcome, SeenPart, SeenValue } from './types';
import type { Working } from './working';

type Reported = Claim | Validator | MessageRule;

/** What decided, as far as a rule saw it. */
type Evidence = Pick<ClaimReport, 'table' | 'guard' | 'holds' | 'branches' | 'reads' | 'counted'>;

/** Nothing more to say. */
const NO_MORE: Partial<ClaimReport> = {};

/** What one rule did. The values that decided are looked up when they are read, and kept from then on. */
class Report implements ClaimReport {
	readonly claim: string;
	readonly rule: string;
	readonly field: string;
	readonly by: ClaimReport['by'];
	readonly value: ClaimReport['value'];
	readonly row: ClaimReport['row'];
	readonly left: ClaimReport['left'];
	readonly asked: ClaimReport['asked'];
	readonly found: ClaimReport['found'];
	readonly sending: ClaimReport['sending'];
	readonly message: ClaimReport['message'];
	#pass: Pass | null;
	#rec: Working;
	#of: Reported;
	#seen: Evidence = NO_MORE;

	constructor(
		pass: Pass,
		rec: Working,
		of: Reported,
		readonly outcome: Outcome,
		more: Partial<ClaimReport>
	) {
		this.claim = of.id;
		this.rule = of.rule.id;
		this.field = of.field.id;
		this.by = more.by;
		this.value = more.value;
		this.row = more.row;
		this.left = more.left;
		this.asked = more.asked;
		this.found = more.found;
		this.sending = more.sending;
		this.message = more.message;
		this.#pass = pass;
		this.#rec = rec;
		this.#of = of;
	}

	#evidence(): Evidence {
		const pass = this.#pass;
		if (!pass) return this.#seen;
		this.#pass = null;
		const none = this.outcome === 'outranked' || pass.options.explain === 'outcomes';
		if (!none) this.#seen = pass.env.aside(() => seen(pass, this.#rec, this.#of));
		return this.#seen;
	}

	get table() {
		return this.#evidence().table;
	}
	get guard() {
		return this.#evidence().guard;
	}
	get holds() {
		return this.#evidence().holds;
	}
	get branches() {
		return this.#evidence().branches;
	}
	get reads() {
		return this.#evidence().reads;
	}
	get counted() {
		return this.#evidence().counted;
	}
}

/** Notes what a claim did, where somebody asked. */
export function report(
	pass: Pass,
	rec: Working,
	c: Reported,
	outcome: Outcome,
	more: Partial<ClaimReport> = NO_MORE
) {
	rec.outcomes?.set(c.id, new Report(pass, rec, c, outcome, more));
}

/** One report for everything that is reported on a record. */
export const reports = (pass: Pass, rec: Working): ClaimReport[] =>
	rec.plan.reported.map(
		(c) => rec.outcomes!.get(c.id) ?? new Report(pass, rec, c, 'not triggered', NO_MORE)
	);

/** What a rule saw. */
function seen(pass: Pass, rec: Working, c: Reported): Evidence {
	const at = pass.nearby(() => setOffAt(pass, rec, c));
	const own = (seen: readonly Seen[]): SeenValue[] =>
		seen.flatMap((r) => {
			const value = valueOf(pass, rec, r);
			return value === undefined ? [] : [{ ...r, value }];
		});
	const asked = 'askedParts' in c ? c.askedParts() : [];
	const branches = 'branches' in c ? c.branches() : [];
	const counted = countedBy(pass, rec, c.used);
	return {
		...('trace' in c && c.trace ? { table: traced(pass, c.trace) } : {}),
		guard: c.guardParts().map((p) => partAt(pass, rec, at, p)),
		...(asked.length ? { holds: asked.map((p) => partAt(pass, rec, rec, p)) } : {}),
		...(branches.length ? { branches: taken(pass, rec, branches) } : {}),
		reads: own(c.used),
		...(counted.length ? { counted } : {})
	};
}

/** A condition at a record, with what was in it. */
function partAt(pass: Pass, rec: Working, at: RecordView | null, p: GuardPart): SeenPart {
	pass.env.rec = at;
	const result = at ? safely(pass, p.run) : null;
	pass.env.rec = rec;
	const values = p.reads.flatMap((r) => {
		const value = at ? valueOf(pass, at, r) : undefined;
		return value === undefined ? [] : [{ ...r, value }];
	});
	return { text: p.text, expr: p.expr, result, values };
}

/** The conditions that a formula asked, up to the first that was so. */
function taken(pass: Pass, rec: Working, branches: readonly GuardPart[]): SeenPart[] {
	const out: SeenPart[] = [];
	for (const b of branches) {
		const part = partAt(pass, rec, rec, b);
		out.push(part);
		if (part.result === true) break;
	}
	return out;
}

/** The records behind links that a rule looked at: how many, and the first of them. */
function countedBy(pass: Pass, rec: Working, used: readonly Seen[]): Counted[] {
	const out = new Map<string, Counted>();
	for (const r of used) {
		const last = r.via.map((v) => v.back).lastIndexOf(true);
		if (!r.many || last < 0) continue;
		const way = r.via.slice(0, last + 1);
		const { type } = way[last];
		const key = way.map((v) => `${v.type}.${v.field}${v.back ? '<' : '>'}`).join();
		const field = r.via.length === last + 1 ? r.field : r.via[last + 1].field;
		const had = out.get(key);
		if (had) {
			if (!had.fields.includes(field)) had.fields.push(field);
			continue;
		}
		const [owner, ...more] = pass.nearby(() => behind(pass, rec, way.slice(0, -1))) ?? [];
		const told =
			owner === undefined || more.length ? null : pass.behind(type, way[last].field, owner);
		if (told) {
			out.set(key, { type, fields: [field], ...told });
			continue;
		}
		const ids = pass.nearby(() => behind(pass, rec, way));
		if (ids) out.set(key, { type, fields: [field], n: ids.length, ids: ids.slice(0, FIRST) });
	}
	return [...out.values()];
}

/** The records that a way leads to. */
function behind(pass: Pass, rec: Working, way: Seen['via']): string[] {
	let here: string[] = [rec.id];
	let type = rec.type;
	for (const v of way) {
		if (v.back) {
			here = here.flatMap((id) => pass.relatedIds(v.type, v.field, id, 'settled'));
			type = v.type;
			continue;
		}
		const i = pass.schema.type(v.type).at.get(v.field)!;
		const from = type;
		here = here.flatMap((id) => {
			const to = (from === rec.type && id === rec.id ? rec : pass.view(from, id))?.settled[i];
			return typeof to === 'string' ? [to] : [];
		});
		type = pass.schema.field(v.type, v.field)!.target!;
	}
	return here;
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
