/**
 * Rules that the records themselves propose: what would explain the values a field has. Each is fitted
 * to one half of the records and must beat the best constant on the other half; what it explains is
 * then counted by running it as a rule.
 */
import type { JsonValue } from '../document/json';
import type { Schema } from '../document/model';
import type { Output, Rule, RuleSet } from '../document/rules';
import type { Loader } from '../settle/types';
import { settle } from '../settle/settle';
import { compilePlan, type Plan } from '../plan/plan';
import { fromJson, toJson } from '../fields/codec';
import { recordsLoader, type WholeLoader } from '../trials/records';
import type { ZoneClock } from '../value/temporal';
import type { Value } from '../value/value';
import { isBlank, isList, same } from '../value/value';
import { caseLists, optionMaps, rates, startValues } from './choices';
import { shuffled, signTest } from './chance';
import { bandLists, calculations, relatedRecords } from './numbers';
import { counted, Study, type Hypothesis, type StudyRecord, type SuggestedHow } from './study';
import { composedTexts, copies, matchingRecords, parts, tableRows } from './texts';

/** Most rules that are proposed for a field. */
export const MOST_SUGGESTIONS = 5;
/** Most records that are looked at. */
export const MOST_STUDIED = 10_000;
/** How rarely chance may explain as much as a rule that is proposed, whatever number of them was tried. */
const CHANCE = 0.01;
/** Most that are tried on the other half, and that are run as rules. */
const MOST_TRIED = 200;
const MOST_RUN = 12;
/** Most of the records that differ which are listed. */
const MOST_DIFFERING = 50;
/** Of the records, what one more thing to read must explain. */
const WORTH_READING = 0.004;
/** Share of the records from which a value counts as usual. */
const USUAL = 0.5;
/** A rule explains this share of the records, or is right this often where it gives something. */
const EXPLAINS = 0.6;
const RIGHT = 0.9;
/** Share of the records at which two may differ and still say the same, and how many of one kind are worth reading. */
const ALIKE = 0.03;
const MOST_OF_A_KIND = 2;

/** What suggestions are made from. */
export interface Evidence {
	schema: Schema;
	/** The rules there are; a rule that would run in a circle with them is not proposed. */
	set: RuleSet;
	type: string;
	field: string;
	records: readonly StudyRecord[];
	/** Other records that those link to, and those that point to them. */
	near: readonly { type: string; id: string; values: readonly Value[] }[];
	/** Wanted values that somebody typed, by record; what is proposed must agree with these first. */
	examples?: Readonly<Record<string, JsonValue>>;
	/** The moment at which rules are run, milliseconds since 1970. */
	instant: number;
	zones: ZoneClock;
}

export interface Suggestion {
	how: SuggestedHow;
	/** What it reads, by labels. */
	reads: string[];
	/** The rule, without identity and name. */
	rule: Pick<Rule, 'kind' | 'outputs' | 'body'>;
	/** How many of the records it explains, and how many were looked at. */
	explains: number;
	of: number;
	/** Of the examples, how many it agrees with. */
	agrees: number;
	/** Records that it does not explain, some of them. */
	differ: { id: string; stored: JsonValue; gives: JsonValue }[];
	/**
	 * How likely chance alone beats the best constant on the other half like this, corrected for all that
	 * was tried; null for a start value and for what rests on examples alone.
	 */
	chance: number | null;
}

export interface Suggestions {
	found: Suggestion[];
	/** Records that were looked at, and how many have a value. */
	of: number;
	given: number;
	examples: number;
	/** How many explanations were tried. */
	tried: number;
}

/** The rules that records propose for a field, the simplest that explain most first; the same for the same records. */
export function suggest(e: Evidence): Suggestions {
	const { schema } = e;
	const { fields } = schema.type(e.type).type;
	const at = schema.type(e.type).at.get(e.field)!;
	const wanted = new Map<number, Value>();
	e.records.forEach((r, row) => {
		const json = own(e.examples, r.id);
		if (json === undefined) return;
		const read = fromJson(fields[at], json, schema);
		if (read.ok) wanted.set(row, read.value);
	});
	const mine = e.records.map((r) => ({ ...r, type: e.type }));
	const loader = recordsLoader(schema, [...e.near, ...mine]);
	const study = new Study(schema, e.type, e.field, e.records, loader, wanted, dependents(e));
	const rows = shuffled(e.records.length, seedOf(e.type, e.field));
	const found = [...byRecords(study, rows, loader), ...byExamples(study, loader)];
	const plan = compilePlan(schema.with(e.set), e.set);
	const judged = ranked(study, found)
		.slice(0, MOST_RUN)
		.flatMap((x) => {
			const rule = ruleFrom(e, x.hypothesis);
			return runsInCircle(e, plan, rule) ? [] : [judge(e, study, loader, rule, x)];
		});
	const best = judged
		.filter((s) => (wanted.size ? s.agrees > 0 : s.chance === null || s.worthSaying))
		.sort((a, b) => b.agrees - a.agrees || b.worth - a.worth)
		.slice(0, MOST_SUGGESTIONS);
	return {
		found: best.map(({ worth: _, worthSaying: __, ...s }) => s),
		of: e.records.length,
		given: study.y.keys.filter((k) => k !== '').length,
		examples: wanted.size,
		tried: found.length ? Math.max(...found.map((f) => f.tried)) : 0
	};
}

const own = (o: Evidence['examples'], key: string) =>
	o && Object.hasOwn(o, key) ? o[key] : undefined;

/** Every explanation, fitted to some records. */
function supposed(s: Study, rows: readonly number[], loader: WholeLoader): Hypothesis[] {
	return [
		...copies(s),
		...optionMaps(s, rows),
		...bandLists(s, rows),
		...tableRows(s),
		...matchingRecords(s, loader.all),
		...relatedRecords(s, rows),
		...calculations(s, rows),
		...rates(s, rows),
		...composedTexts(s, rows),
		...parts(s, rows),
		...caseLists(s, rows)
	];
}

interface Found {
	hypothesis: Hypothesis;
	chance: number | null;
	tried: number;
}

const hits = (s: Study, rows: readonly number[], gives: (r: number) => string) =>
	rows.reduce((n, r) => n + (gives(r) === s.y.keys[r] ? 1 : 0), 0);

/** What beats the best constant on the half it was not fitted to; then fitted to all. */
function byRecords(s: Study, rows: readonly number[], loader: WholeLoader): Found[] {
	const half = rows.length >> 1;
	const [learn, hold] = [rows.slice(0, half), rows.slice(half)];
	const [constant] = counted(learn.map((r) => s.y.keys[r]));
	if (!constant) return [];
	const alone = hits(s, learn, () => constant[0]);
	const promising = supposed(s, learn, loader)
		.map((h) => ({ h, right: hits(s, learn, h.gives) }))
		.filter((x) => x.right > alone)
		.sort((a, b) => b.right - a.right || a.h.size - b.h.size)
		.slice(0, MOST_TRIED);
	const sure = new Map<string, number>();
	for (const { h } of promising) {
		let [better, worse] = [0, 0];
		for (const r of hold) {
			const [a, b] = [h.gives(r) === s.y.keys[r], constant[0] === s.y.keys[r]];
			if (a && !b) better++;
			if (b && !a) worse++;
		}
		const chance = Math.min(1, signTest(better, worse) * promising.length);
		if (chance < CHANCE) sure.set(h.id, chance);
	}
	const tried = promising.length;
	const out: Found[] = startValues(s, rows)
		.filter((h) => hits(s, rows, h.gives) >= rows.length * USUAL && rows.length >= 10)
		.map((hypothesis) => ({ hypothesis, chance: null, tried }));
	if (sure.size)
		for (const hypothesis of supposed(s, rows, loader)) {
			const chance = sure.get(hypothesis.id);
			if (chance !== undefined) out.push({ hypothesis, chance, tried });
		}
	return out;
}

/**
 * What gives every example what was typed, whatever is stored. What chooses among values must have been
 * shown one more example than it has values: else anything would do.
 */
function byExamples(s: Study, loader: WholeLoader): Found[] {
	if (s.examples.size < 2) return [];
	const rows = [...s.examples.keys()];
	const all = [...startValues(s, rows), ...supposed(s, rows, loader)];
	return all
		.filter((h) => hits(s, rows, h.gives) === rows.length && rows.length > (h.results ?? 1))
		.map((hypothesis) => ({ hypothesis, chance: null, tried: all.length }));
}

/** The best first; of those that say the same the same way, the simplest. */
function ranked(s: Study, found: readonly Found[]): Found[] {
	const n = s.records.length;
	const scored = found
		.map((f) => {
			const gives = s.records.map((_, r) => f.hypothesis.gives(r));
			const right = gives.reduce((k, g, r) => k + (g === s.y.keys[r] ? 1 : 0), 0);
			const agrees = [...s.examples.keys()].filter((r) => gives[r] === s.y.keys[r]).length;
			return { f, gives, agrees, worth: worthOf(right, n, f.hypothesis.size) };
		})
		.sort((a, b) => b.agrees - a.agrees || b.worth - a.worth);
	const kept: typeof scored = [];
	for (const x of scored) {
		const { how, reads } = x.f.hypothesis;
		const twin = kept.find((k) => {
			const like = k.f.hypothesis;
			const more = like.reads.length > 0 && like.reads.every((l) => reads.includes(l));
			if (like.how !== how && !more) return false;
			return k.gives.reduce((d, g, r) => d + (g === x.gives[r] ? 0 : 1), 0) <= n * ALIKE;
		});
		if (!twin && kept.filter((k) => k.f.hypothesis.how === how).length < MOST_OF_A_KIND)
			kept.push(x);
		if (kept.length >= MOST_RUN) break;
	}
	return kept.map((x) => x.f);
}

const worthOf = (right: number, of: number, size: number) =>
	(of ? right / of : 0) - WORTH_READING * size;

// ---- as a rule --------------------------------------------------------------------------------------

function ruleFrom(e: Evidence, h: Hypothesis): Rule {
	const hold = h.hold ?? 'follow';
	const fields = [h.before, e.field, h.second].filter((f): f is string => f !== undefined);
	return {
		id: '~suggested',
		type: e.type,
		kind: h.verb,
		name: '',
		why: '',
		moments: h.verb === 'default' ? ['created'] : ['created', 'changed', 'request'],
		entryPoints: null,
		watch: null,
		entering: false,
		guard: null,
		outputs: fields.map((field, i): Output => ({
			id: `o${i + 1}`,
			field,
			hold,
			none: hold === 'locked' ? 'clear' : 'next'
		})),
		body: h.body()
	};
}

/** Whether the rule cannot stand beside those there are. */
function runsInCircle(e: Evidence, plan: Plan, rule: Rule): boolean {
	const set = { ...e.set, rules: [...e.set.rules, rule] };
	const problems = compilePlan(e.schema.with(e.set), set).problems;
	const had = new Set(plan.problems.map((p) => p.rule));
	return problems.some((p) => !had.has(p.rule));
}

/** Runs a rule by itself on every record as if it were new, and counts what it explains. */
function judge(
	e: Evidence,
	s: Study,
	loader: Loader,
	rule: Rule,
	found: Found
): Suggestion & { worth: number; worthSaying: boolean } {
	const { hypothesis } = found;
	const schema = e.schema.with(e.set);
	const plan = compilePlan(schema, {
		rules: [rule],
		order: {},
		definitions: e.set.definitions,
		tables: e.set.tables
	});
	const { at, type } = schema.type(e.type);
	const i = at.get(e.field)!;
	const written = new Set(rule.outputs.map((o) => o.field));
	const nothing = type.fields.map(() => null);
	let [explains, agrees, said, right] = [0, 0, 0, 0];
	const differ: Suggestion['differ'] = [];
	e.records.forEach((r, row) => {
		const sent = new Map<string, Value>();
		type.fields.forEach((f, k) => {
			if (!written.has(f.id) && !isBlank(r.values[k])) sent.set(f.id, r.values[k]);
		});
		const record = {
			type: e.type,
			id: r.id,
			created: true,
			was: nothing,
			sent,
			keep: new Set<string>(),
			inLine: true
		};
		const change = {
			records: [record],
			entryPoint: 'bulk' as const,
			instant: e.instant,
			person: null
		};
		const settled = settle(plan, change, loader, { alone: true, zones: e.zones }).records[0];
		const [stored, gives] = [s.y.values[row], settled.values[i]];
		if (!isBlank(gives)) said++;
		if (same(stored, gives)) {
			explains++;
			if (!isBlank(gives)) right++;
			if (s.examples.has(row)) agrees++;
		} else if (differ.length < MOST_DIFFERING)
			differ.push({ id: r.id, stored: plain(stored), gives: plain(gives) });
	});
	return {
		how: hypothesis.how,
		reads: [...hypothesis.reads],
		rule: { kind: rule.kind, outputs: rule.outputs, body: rule.body },
		explains,
		of: e.records.length,
		agrees,
		differ,
		chance: found.chance,
		worthSaying: explains >= e.records.length * EXPLAINS || right >= said * RIGHT,
		worth: worthOf(explains, e.records.length, hypothesis.size)
	};
}

const plain = (v: Value): JsonValue => toJson(isList(v) ? [...v] : v);

/** Fields of the record that the field decides already: to explain it by them would be a circle. */
function dependents(e: Evidence): Set<string> {
	const plan = compilePlan(e.schema.with(e.set), e.set);
	const out = new Set<string>();
	const claims = [...plan.claims.values()].filter((c) => c.rule.type === e.type);
	const reads = (c: (typeof claims)[number], field: string) =>
		c.reads.some((r) => r.image === 'settled' && r.type === e.type && r.field === field);
	const visit = (field: string) => {
		for (const c of claims)
			if (reads(c, field) && !out.has(c.field.id) && c.field.id !== e.field) {
				out.add(c.field.id);
				visit(c.field.id);
			}
	};
	visit(e.field);
	return out;
}

/** A number from names, the same on every machine. */
function seedOf(...names: string[]): number {
	let h = 2166136261;
	for (const c of names.join('.')) h = Math.imul(h ^ c.charCodeAt(0), 16777619);
	return h >>> 0;
}
