/** What a settled change means to the sender, to history and to who set each field. */
import type { Format, JsonValue, Outcome, Plan, SetAside, SettledRecord, Value } from '../../core';
import {
	MESSAGES,
	cameToNothing,
	toldOf,
	isList,
	plainFormat,
	reason,
	refKey,
	ruleOf,
	toJson
} from '../../core';
import { formatValue } from '../../runtime/format';
import type { Db } from '../db/pool';
import type { HistoryLine, QuietLine } from '../db/history';
import { titlesOf, type StoredRecord } from '../db/records';
import { markedBy, type Marked, type SetBy } from '../db/set-by';

/** What became of a submitted record. */
export interface SaveOutcome {
	type: string;
	id: string;
	version: number;
	release: number;
	created: boolean;
	values: Record<string, JsonValue>;
	changes: {
		field: string;
		from: JsonValue;
		to: JsonValue;
		rule: string | null;
		because: string | null;
		/** What the sender gave, where the rule made its value of that. */
		typed?: JsonValue;
	}[];
	setAside: {
		field: string;
		sent: JsonValue;
		stands: JsonValue;
		rule: string;
		why: SetAside['why'];
	}[];
	failures: { field: string; rule: string; message: string }[];
	/** Fields for which a rule was set off and came to nothing, and why. */
	nothing: { field: string; rule: string; because: string }[];
	/** Advice of checks; blocking messages refuse the change instead. */
	messages: { field: string; rule: string; message: string }[];
	/** Other records that the change ran on to; told with the first record of a change. */
	reached: { type: string; id: string; fields: string[] }[];
	/** Messages to people that left with it; told with the first record of a change. */
	sent: number;
	/** Records that the change runs on to afterwards; told with the first record of a change. */
	pending: number;
	/** All that the change wrote and read, as `type.number`; told with the first record of a change that is only looked at. */
	touched?: string[];
}

/** Who made the change, as history and fields tell it. */
export interface Told {
	/** Name of the person. */
	name: string;
	account: string;
	by: 'person' | 'import' | 'api';
	release: number;
	/** Number of the change. */
	change: string;
}

/** No record was read already. */
const NONE_STORED: ReadonlyMap<string, StoredRecord> = new Map();

/** Most titles that are read with one statement. */
const PIECE = 5_000;

/** Outcomes of rules that did not run at all, or that lines of history tell of already. */
const NOT_QUIET: ReadonlySet<Outcome> = new Set<Outcome>([
	'not triggered',
	'moment left out',
	'entry point left out',
	'reached left out',
	'wrote',
	'cleared',
	'failed',
	'sends',
	'holds',
	'in effect',
	'pending'
]);

/**
 * Writes values for history: links by the title of the record they point to. `learn` takes the titles
 * that changes in the making give.
 * @param stored records that were read already, as they are before these changes
 */
export async function titledFormat(
	db: Db,
	workspace: string,
	plan: Plan,
	records: readonly SettledRecord[],
	stored: ReadonlyMap<string, StoredRecord> = NONE_STORED
): Promise<{ format: Format; learn: (records: readonly SettledRecord[]) => void }> {
	const { schema } = plan;
	const wanted = new Map<string, Set<string>>();
	const want = (type: string, field: string, v: Value | undefined) => {
		const f = schema.field(type, field);
		if (f?.type !== 'link') return;
		for (const id of isList(v ?? null) ? (v as readonly Value[]) : [v])
			if (typeof id === 'string')
				wanted.set(f.target!, (wanted.get(f.target!) ?? new Set()).add(id));
	};
	for (const rec of records)
		for (const r of toldOf(plan, rec)) {
			for (const x of r.reads ?? []) want(x.type, x.field, x.value);
			for (const p of [...(r.guard ?? []), ...(r.branches ?? [])])
				for (const x of p.values) want(x.type, x.field, x.value);
			want(rec.type, r.field, r.found ? [...r.found] : undefined);
		}
	const titles = new Map<string, string>();
	const name = (type: string, id: string, values: readonly Value[]) => {
		const { type: t, at } = schema.type(type);
		const title = values[at.get(t.title)!];
		titles.set(refKey(type, id), title === null ? `No. ${id}` : String(toJson(title)));
	};
	for (const [type, ids] of wanted) {
		for (const id of ids) {
			const had = stored.get(refKey(type, id));
			if (had) name(type, id, had.values);
		}
		const numbers = [...ids].filter((id) => /^\d{1,18}$/.test(id) && !titles.has(refKey(type, id)));
		for (let k = 0; k < numbers.length; k += PIECE) {
			const some = numbers.slice(k, k + PIECE);
			for (const [id, title] of await titlesOf(db, schema, workspace, type, some))
				titles.set(refKey(type, id), title);
		}
	}
	const plain = plainFormat(plan);
	const links = new Proxy<Record<string, string>>({}, { get: (_, k) => titles.get(String(k)) });
	return {
		format: (ref, v) => {
			const f = schema.field(ref.type, ref.field);
			if (v === null || !f) return plain(ref, v);
			return formatValue(f, toJson(v), schema, links);
		},
		learn: (settled) => {
			for (const r of settled) {
				if (r.created || r.changes.length) name(r.type, r.id, r.values);
			}
		}
	};
}

/** What one settled record means. @param plan the rules that decided it @param before who set a field until now */
export function describe(
	plan: Plan,
	told: Told,
	rec: SettledRecord,
	before: (field: string) => SetBy | undefined,
	format: Format
) {
	const reports = new Map(rec.reports.map((r) => [r.claim, r]));
	// the same words stand in history, in the answer and in what systems outside are told
	const reasons = new Map<string, string>();
	const why = (claim: string): string => {
		const known = reasons.get(claim);
		if (known !== undefined) return known;
		const because = reason(plan, reports.get(claim)!, format);
		reasons.set(claim, because);
		return because;
	};
	const ruleName = (claim: string) => ruleOf(plan, claim)!.name;
	/** A reason with who gave what the rule made its value of. */
	const credited = (c: SettledRecord['changes'][number], because: string) =>
		c.typed === undefined
			? because
			: `made of “${format({ type: rec.type, field: c.field }, c.typed)}”, which ${told.name} gave: ${because}`;
	const history: HistoryLine[] = [];
	const setBy: Record<string, SetBy> = {};
	const line = (
		field: string,
		was: JsonValue,
		now: JsonValue,
		claim: string | null,
		because: string | null,
		outcome: HistoryLine['outcome'],
		had: Marked | null = null
	) =>
		history.push({
			type: rec.type,
			record: rec.id,
			field,
			was,
			now,
			claim,
			ruleName: claim && ruleName(claim),
			because,
			outcome,
			had
		});
	for (const c of rec.changes) {
		const because = c.claim && credited(c, why(c.claim));
		const until = before(c.field);
		const had = until ? markedBy(until) : null;
		line(c.field, toJson(c.from), toJson(c.to), c.claim, because, 'set', had);
		const { change, account, by } = told;
		setBy[c.field] = c.claim ? { by: 'rule', change, claim: c.claim } : { by, change, account };
	}
	for (const [claim, options] of rec.added) {
		const { field } = plan.claims.get(claim)!;
		const had = setBy[field.id] ?? before(field.id);
		if (had) setBy[field.id] = { ...had, added: { ...had.added, [claim]: options } };
	}
	for (const a of rec.setAside)
		line(
			a.field,
			toJson(a.stands),
			toJson(a.sent),
			a.claim,
			`“${ruleName(a.claim)}” does not let it be set`,
			'set aside'
		);
	for (const f of rec.failures) line(f.field, null, null, f.claim, f.message, 'failed');
	for (const claim of new Set(rec.sends.map((m) => m.claim)))
		line(
			MESSAGES,
			null,
			String(rec.sends.filter((m) => m.claim === claim).length),
			claim,
			why(claim),
			'sent'
		);
	// in a record that the change ran on to, a check refuses nothing: what it says is kept for people to see
	if (rec.reached)
		for (const m of rec.messages) line(m.field, null, null, m.claim, m.text, 'failed');
	const nothing = cameToNothing(plan, rec);
	const worded = new Set(toldOf(plan, rec, nothing));
	const quiet = rec.reports
		.filter((r) => !NOT_QUIET.has(r.outcome))
		.map((r): QuietLine => {
			const line = [rec.type, rec.id, r.claim, r.outcome] as const;
			if (nothing.includes(r)) return [...line, why(r.claim), r.field, ruleName(r.claim)];
			// a condition that kept a rule out is told with its values
			return worded.has(r) ? [...line, why(r.claim)] : [...line];
		});
	let said: SaveOutcome | null = null;
	// made where somebody asks: of most records that a change runs on to nobody does
	const outcome = (): SaveOutcome =>
		(said ??= {
			type: rec.type,
			id: rec.id,
			version: 1,
			release: told.release,
			created: rec.created,
			values: Object.fromEntries(
				plan.schema.type(rec.type).type.fields.map((f, i) => [f.id, toJson(rec.values[i])])
			),
			changes: rec.changes.map((c) => ({
				field: c.field,
				from: toJson(c.from),
				to: toJson(c.to),
				rule: c.claim && ruleName(c.claim),
				because: c.claim && credited(c, why(c.claim)),
				...(c.typed === undefined ? {} : { typed: toJson(c.typed) })
			})),
			setAside: rec.setAside.map((a) => ({
				field: a.field,
				sent: toJson(a.sent),
				stands: toJson(a.stands),
				rule: ruleName(a.claim),
				why: a.why
			})),
			failures: rec.failures.map((f) => ({
				field: f.field,
				rule: ruleName(f.claim),
				message: f.message
			})),
			nothing: nothing.map((r) => ({
				field: r.field,
				rule: ruleName(r.claim),
				because: why(r.claim)
			})),
			messages: rec.messages.map((m) => ({
				field: m.field,
				rule: ruleName(m.claim),
				message: m.text
			})),
			reached: [],
			sent: 0,
			pending: 0
		});
	return { outcome, history, setBy, quiet };
}
