/**
 * What a record shows when it is tried: claims that fail, texts with spaces too many, results that
 * change again, values that an entry point or the next save gives otherwise. What is found was run
 * through the engine; finding nothing proves nothing.
 */
import { LimitError } from '../feel/budget';
import type { JsonValue } from '../fields/codec';
import { fromJson, misfit, toJson } from '../fields/codec';
import type { Rule } from '../document/rules';
import { ENTRY_LABEL, ENTRY_POINTS } from '../document/rules';
import type { Claim, PlanNode } from '../plan/plan';
import type { SettledRecord } from '../settle/settle';
import { valuesToJson } from '../trials/records';
import type { Value } from '../value/value';
import { spell } from '../text/names';
import { isBlank, isList, same } from '../value/value';
import { candidates, candidatesFor, withRelated } from './candidates';
import { stretches } from '../spots/cells';
import { exprOf } from './formulas';
import { carried } from './context';
import { writerOf } from '../kinds';
import type { FindingIs } from '../kinds/catalogue';
import type { Witness } from '../kinds/spec';
import type { Probe } from './probe';
import { PROBE_INSTANT } from './probe';
import type { Finding } from './types';

/** What was seen, without what every finding of the rule has in common. */
export type Shown = Pick<
	Finding,
	'message' | 'witness' | 'near' | 'was' | 'entryPoint' | 'certificate' | 'repair'
> & {
	is: FindingIs;
	place: Finding['place'];
};

const DAY = 86_400_000;
/** Tries one claim. Each kind is found at most once. */
export function tryClaim(probe: Probe, c: Claim, node: PlanNode): Shown[] {
	if (c.each >= 0) return [];
	const out = new Map<string, Shown>();
	const whole = looksOf(probe, c, node);
	if (!whole.length) return [...out.values()];
	const tried = candidates(probe, c, node);
	const add = (s: Shown, w: Witness) => {
		if (!out.has(s.is)) out.set(s.is, { ...carried(w), ...s });
	};
	// first with this field's rules alone, which is fast; what shows is confirmed with all rules
	const alone = probe.only(c.rule.type, node);
	const quick = looksOf(alone, c, node);
	const seen = (p: Probe, l: Look, w: Witness) => {
		const rec = p.run(c.rule.type, w);
		const report = rec.reports.find((r) => r.claim === c.id);
		return report ? l.look(w, rec, report.outcome) : null;
	};
	for (const w of tried) {
		probe.setOff(c.rule, w);
		const rec = alone.run(c.rule.type, w);
		const report = rec.reports.find((r) => r.claim === c.id);
		if (!report) continue;
		quick.forEach((l, i) => {
			if (out.has(l.is) || !l.look(w, rec, report.outcome)) return;
			const shown = seen(probe, whole[i], w);
			if (shown) add({ ...shown, is: l.is }, w);
		});
	}
	return [...out.values()];
}

/** Whether a claim gives constants that its field always takes: it cannot fail. */
function cannotFail(probe: Probe, { rule, field, output }: Claim, node: PlanNode): boolean {
	const results = writerOf(rule.body)?.results(rule.body, rule.outputs.indexOf(output));
	if (node.limits.length || !results) return false;
	return results.every((r) => {
		const v = fromJson(field, r, probe.schema);
		return v.ok && misfit(field, v.value, null, probe.schema) === null;
	});
}

interface Look {
	is: FindingIs;
	look(w: Witness, rec: SettledRecord, outcome: string): Omit<Shown, 'is'> | null;
}

/** What is looked for at a claim. */
function looksOf(probe: Probe, c: Claim, node: PlanNode): Look[] {
	const { rule, field } = c;
	const { schema } = probe;
	const at = c.target;
	const say = (v: Value) => sayValue(probe, c, v);
	const output = rule.outputs.indexOf(c.output);
	const kind = writerOf(rule.body)!;
	const place = kind.place(output);
	const looks: Look[] = [];
	if (!cannotFail(probe, c, node))
		looks.push({
			is: 'fails',
			look: (_, rec, outcome) => {
				const failure = outcome === 'failed' && rec.failures.find((f) => f.claim === c.id);
				return failure ? { place, message: `It fails: ${failure.message}` } : null;
			}
		});
	if (['text', 'email', 'phone'].includes(field.type))
		looks.push({
			is: 'spaces',
			look: (w, rec, outcome) => {
				if (outcome !== 'wrote' || hasDouble(w)) return null;
				const raw = rawText(probe, c, rec, w);
				const wrong = raw === null ? null : spacesIn(raw);
				if (!wrong) return null;
				const repair =
					'squeeze' in kind.repairs
						? ({
								do: 'squeeze',
								rule: rule.id,
								formula: output,
								label: 'Squeeze the spaces'
							} as const)
						: undefined;
				const shown = raw!.replace(/\s/gu, '␣');
				return {
					place,
					message: `${field.label} ${wrong}: “${shown}”.`,
					repair
				};
			}
		});
	if (c.readsOwnSent)
		looks.push({
			is: 'not steady',
			look: (w, rec, outcome) => {
				const once = rec.values[at];
				if (outcome !== 'wrote' || isBlank(once)) return null;
				const again = probe.run(rule.type, {
					...w,
					values: { ...w.values, [field.id]: toJson(once) }
				}).values[at];
				if (same(once, again)) return null;
				return {
					place,
					message: `What it gives changes when it is given again: “${String(w.values[field.id])}” becomes ${say(once)}, and that becomes ${say(again)}.`
				};
			}
		});
	if (c.branches().length && !c.eventful)
		looks.push({
			is: 'blank into else',
			look: (w, rec, outcome) => {
				if (outcome !== 'wrote' && outcome !== 'same value') return null;
				const blank = undecided(probe, c, w);
				if (blank === null || isBlank(rec.values[at])) return null;
				return {
					place,
					message: `With ${blank.label} blank nobody can tell whether “${blank.text}”, and it gives ${say(rec.values[at])} all the same.`
				};
			}
		});
	const left = rule.entryPoints && ENTRY_POINTS.filter((e) => !rule.entryPoints!.includes(e));
	if (left?.length && rule.entryPoints!.length)
		looks.push({
			is: 'entry point differs',
			look: (w) => {
				const road = rule.entryPoints![0];
				const by = probe.run(rule.type, w, { entryPoint: road });
				if (by.reports.find((r) => r.claim === c.id)?.outcome !== 'wrote') return null;
				const other = left.find(
					(e) =>
						e !== 'bulk' &&
						!same(probe.run(rule.type, w, { entryPoint: e }).values[at], by.values[at])
				);
				if (!other) return null;
				const got = probe.run(rule.type, w, { entryPoint: other }).values[at];
				return {
					place: 'outputs',
					message: `By the ${ENTRY_LABEL[other]} ${field.label} becomes ${say(got)}, where the rule gives ${say(by.values[at])} by the ${ENTRY_LABEL[road]}.`,
					entryPoint: other,
					repair: { do: 'every entry point', rule: rule.id, label: 'Take every entry point' }
				};
			}
		});
	// one that nothing sets off is told as that
	const setOff = c.triggers.length + c.triggersSent.length + c.reached.length > 0;
	if (setOff && c.outside.has('today') && c.output.hold === 'follow' && !c.eventful && !rule.watch)
		looks.push({
			is: 'moves with the day',
			look: (w, rec, outcome) => {
				// its value, or its condition, may be another on a later day
				if (!['wrote', 'guard false', 'guard unknown'].includes(outcome)) return null;
				for (const days of [40, 400]) {
					const later = probe.run(rule.type, w, { instant: PROBE_INSTANT + days * DAY });
					if (!same(later.values[at], rec.values[at]))
						return {
							place,
							message: `Its value depends on today, and nothing sets it going when days pass: ${say(rec.values[at])} would be ${say(later.values[at])} ${days} days later.`
						};
				}
				return null;
			}
		});
	const place0 = node.claims.indexOf(c);
	const locked = node.claims.slice(place0 + 1).filter((x) => x.output.hold === 'locked');
	if (locked.length && c.eventful && c.output.hold !== 'locked')
		looks.push({
			is: 'undone at next save',
			look: (w, rec, outcome) => {
				if (outcome !== 'wrote') return null;
				const was = valuesToJson(schema, rule.type, rec.values);
				const next = probe.run(rule.type, { values: {}, near: w.near, was }, { inLine: false });
				const by = next.changes.find((x) => x.field === field.id)?.claim;
				const taker = locked.find((x) => x.id === by);
				return taker
					? {
							place: 'outputs',
							message: undone(c, taker, say, rec.values[at], next.values[at])
						}
					: null;
			}
		});
	return looks;
}

const undone = (c: Claim, taker: Claim, say: (v: Value) => string, wrote: Value, then: Value) =>
	`It writes ${say(wrote)} on the event, and “${taker.rule.name}” makes it ${say(then)} again at the next save. Put that rule first, or give it a condition.`;

/** Most records of each side that an update is tried with. */
const MOST_PAIRED = 20;

/**
 * An update of related records that a Locked claim behind it takes back at the next save: run with
 * the other record and one that points to it.
 * @param settlePair runs the update for a change of the other record, at a record with some values
 */
export function tryUpdate(
	probe: Probe,
	c: Claim,
	node: PlanNode,
	settlePair: (
		parent: Record<string, JsonValue>,
		own: Record<string, JsonValue>
	) => { wrote: Value; then: Value; by: string | null } | null
): Shown | null {
	const locked = node.claims
		.slice(node.claims.indexOf(c) + 1)
		.filter((x) => x.output.hold === 'locked');
	for (const l of locked)
		for (const own of candidates(probe, l, node).slice(0, MOST_PAIRED))
			for (const parent of parentsFor(probe, c.rule)) {
				const r = settlePair(parent, own.values);
				if (r?.by !== l.id) continue;
				return {
					is: 'undone at next save',
					place: 'outputs',
					message: undone(c, l, (v) => sayValue(probe, c, v), r.wrote, r.then),
					certificate: `both were run: the change of the other record, then a save of the ${probe.schema.type(c.rule.type).type.label.toLowerCase()}`
				};
			}
	return null;
}

/** Values for the record that sets an update off: those its condition speaks of, and what it watches. */
function parentsFor(probe: Probe, rule: Rule): Record<string, JsonValue>[] {
	const target = probe.schema.field(rule.type, rule.each!)!.target!;
	const { type } = probe.schema.type(target);
	const plain: Record<string, JsonValue> = {};
	for (const f of type.fields) {
		const some = stretches(f, [], probe.schema)?.find((v) => v !== null);
		if (some !== undefined && (rule.watch?.includes(f.id) ?? f.type !== 'link'))
			plain[f.id] = toJson(some);
	}
	const condition = exprOf(probe, target, rule.guard);
	if (!condition) return [plain];
	return candidatesFor(probe, target, condition)
		.slice(0, MOST_PAIRED)
		.map((w) => ({ ...plain, ...w.values }));
}

// ---- words ----------------------------------------------------------------------------------------

function sayValue(probe: Probe, c: Claim, v: Value): string {
	if (v === null) return 'blank';
	if (typeof v === 'boolean') return v ? 'yes' : 'no';
	const one = (x: Value) =>
		c.field.list && typeof x === 'string'
			? (probe.schema.option(c.field.list, x)?.label ?? x)
			: String(toJson(x));
	return isList(v) ? v.map(one).join(', ') : `“${one(v)}”`;
}

/** The condition of a formula that a blank leaves open for a record, where none before it is so; with that blank. */
function undecided(probe: Probe, c: Claim, w: Witness): { text: string; label: string } | null {
	const env = probe.env(c.rule.type, w);
	for (const b of c.branches()) {
		let result: Value = null;
		try {
			result = b.run(env);
		} catch (e) {
			if (!(e instanceof LimitError)) throw e;
			return null;
		}
		if (result === true) return null;
		const own = b.reads.filter((r) => !r.via.length && !r.many && r.image === 'settled');
		const blank = own.find((r) => (w.values[r.field] ?? null) === null);
		if (result === null && blank)
			return {
				text: b.text,
				label: probe.schema.field(blank.type, blank.field)?.label ?? blank.field
			};
	}
	return null;
}

/**
 * A claim that had no result for any record it was tried with, although it applied. Those that speak of
 * what was before are tried as changes.
 */
export function neverSeen(probe: Probe, c: Claim, node: PlanNode): Shown | null {
	if (c.each >= 0) return null;
	const alone = probe.only(c.rule.type, node);
	let without: Witness | null = null;
	let tried = 0;
	const all = candidates(probe, c, node).flatMap((w) => withRelated(probe, w, c));
	// what speaks of before is tried as a change of each record to another
	const before = c.eventful ? all.slice(0, MOST_PAIRED) : [];
	for (const w of all) {
		probe.setOff(c.rule, w);
		for (const was of [undefined, ...before.map((b) => b.values)]) {
			const as = was ? { ...w, was } : w;
			const report = alone.run(c.rule.type, as).reports.find((r) => r.claim === c.id);
			if (!report || !RAN.has(report.outcome)) continue;
			// what a blank gives was decided
			if (report.outcome === 'blank') continue;
			if (!WITHOUT_RESULT.has(report.outcome)) return null;
			tried++;
			without ??= as;
		}
	}
	if (!without || tried < 2) return null;
	return {
		is: 'never seen to give',
		place: writerOf(c.rule.body)!.place(c.rule.outputs.indexOf(c.output)),
		message: `It gave ${c.field.label} nothing for any of the ${tried} records that it was tried with.`,
		...carried(without)
	};
}

const WITHOUT_RESULT = new Set(['no result', 'cleared', 'left']);
/** Outcomes of a claim whose condition held. */
const RAN = new Set([
	...WITHOUT_RESULT,
	'wrote',
	'same value',
	'kept',
	'not blank',
	'no row',
	'several rows',
	'blank',
	'failed',
	'pending'
]);

/**
 * A claim that goes on from the value that its own field had before, and has no result where that is
 * blank: on every new record it is, and so it stays. Run as a change of a record with a blank there.
 */
export function staysBlank(probe: Probe, c: Claim, node: PlanNode): Shown | null {
	const own = c.used.some((r) => r.image === 'was' && r.field === c.field.id && !r.via.length);
	if (!own || c.each >= 0 || node.claims.length > 1) return null;
	const { rule } = c;
	let shown: Witness | null = null;
	for (const w of candidates(probe, c, node)) {
		const { [c.field.id]: _own, ...values } = w.values;
		for (const was of candidates(probe, c, node).slice(0, MOST_PAIRED)) {
			const { [c.field.id]: _before, ...before } = was.values;
			const as = { values, near: w.near, was: before };
			const rec = probe.run(rule.type, as);
			if (!isBlank(rec.values[c.target])) return null;
			const report = rec.reports.find((r) => r.claim === c.id);
			if (report && WITHOUT_RESULT.has(report.outcome)) shown ??= as;
		}
	}
	if (!shown) return null;
	return {
		is: 'stays blank',
		place: writerOf(rule.body)!.place(rule.outputs.indexOf(c.output)),
		message: `It goes on from what ${c.field.label} was, which is blank on every new record: so it stays blank. Say what it starts from, as in otherwise(was.${spell(c.field.label)}, 0).`,
		...carried(shown)
	};
}

/** Whether a text of a witness has a space too many itself: then the rule is not to blame. */
const hasDouble = (w: Witness) =>
	[w.values, ...w.near.map((n) => n.values)].some((r) =>
		Object.values(r).some((v) => typeof v === 'string' && /\s\s|^\s|\s$/u.test(v))
	);

function spacesIn(text: string): string | null {
	if (/^\s/u.test(text)) return 'begins with a space';
	if (/\s$/u.test(text)) return 'ends with a space';
	return /\s\s/u.test(text) ? 'has two spaces in a row' : null;
}

/** What a claim gives before the field trims it. */
function rawText(probe: Probe, c: Claim, rec: SettledRecord, w: Witness): string | null {
	const env = probe.env(c.rule.type, {
		...w,
		values: valuesToJson(probe.schema, c.rule.type, rec.values)
	});
	try {
		const r = c.run(env);
		return r.got && typeof r.value === 'string' ? r.value : null;
	} catch (e) {
		if (e instanceof LimitError) return null;
		throw e;
	}
}
