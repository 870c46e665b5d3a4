/**
 * Trials for what nobody tried: records made from what a rule reads, run through the engine; one that
 * gets to an untried point is proposed with what the draft makes of it, to be told right or wrong.
 */
import type { JsonValue } from '../document/json';
import type { EntryPoint, Rule, RuleSet } from '../document/rules';
import { ENTRY_POINTS } from '../document/rules';
import { candidates, candidatesFor, candidatesOfRules, withRelated } from '../check/candidates';
import { Effort, OWN_ID, PROBE_INSTANT, Probe, TooMuch } from '../check/probe';
import { canonicalJson } from '../document/canonical';
import type { Field, Schema } from '../document/model';
import { toJson } from '../fields/codec';
import { senderOf, writerOf } from '../kinds';
import type { Witness } from '../kinds/spec';
import type { Claim, Plan } from '../plan/plan';
import { runSteps, type Expectation, type StepRun, type Trial } from '../trials/trials';
import type { ZoneClock } from '../value/temporal';
import { isList, same } from '../value/value';
import { metBy } from './cover';
import { compiledOf, type Point } from './points';

/** A trial that is proposed, and the points that it is the first to try. */
export interface Proposal {
	trial: Trial;
	points: string[];
}

/** Most changes that are tried for one rule. */
const MOST_TRIED = 600;

/**
 * Proposes trials of a rule that get to points nobody tried, each for as many as it can.
 * @param open the keys of the points to get to
 */
export function propose(
	plan: Plan,
	set: RuleSet,
	rule: Rule,
	open: readonly Point[],
	zones: ZoneClock
): Proposal[] {
	const byId = new Map(set.rules.map((r) => [r.id, r]));
	const wanted = new Set(open.map((p) => p.key));
	const found = new Map<string, { trial: Trial; size: number }>();
	let tried = 0;
	for (const trial of drafts(plan, rule, open, zones)) {
		if (tried++ >= MOST_TRIED || found.size === wanted.size) break;
		const run = ran(plan, trial, zones);
		if (!run) continue;
		const met = metBy(plan, byId, { ...run, expect: [...everything(plan, rule), ...trial.expect] });
		for (const key of met)
			if (wanted.has(key) && sizeOf(trial) < (found.get(key)?.size ?? Infinity))
				found.set(key, { trial, size: sizeOf(trial) });
	}
	// one trial for all the points that it gets to, those that get furthest first
	const chosen: Proposal[] = [];
	const left = new Set(found.keys());
	const all = [...new Set([...found.values()].map((f) => f.trial))].flatMap((trial) => {
		const expect = ran(plan, trial, zones);
		const expected = expect && expectedOf(plan, rule, expect);
		if (!expected?.length) return [];
		const told = { ...trial, expect: expected };
		const run = ran(plan, told, zones)!;
		return [{ trial: told, points: metBy(plan, byId, run).filter((k) => wanted.has(k)) }];
	});
	while (left.size) {
		let best: Proposal | null = null;
		for (const p of all) {
			const points = p.points.filter((k) => left.has(k));
			if (points.length > (best?.points.length ?? 0)) best = { trial: p.trial, points };
		}
		if (!best) break;
		best.points.forEach((k) => left.delete(k));
		chosen.push(best);
	}
	return chosen;
}

const sizeOf = (t: Trial) =>
	t.sent.length + Object.keys(t.was ?? {}).length + (t.near?.length ?? 0) * 2;

function ran(plan: Plan, trial: Trial, zones: ZoneClock): StepRun | null {
	try {
		return runSteps(
			plan,
			{ ...trial, expect: trial.expect.length ? trial.expect : ANYTHING },
			zones
		)[0];
	} catch {
		return null;
	}
}

/** Asks for everything that can be told, so that all of it is worked out. */
const ANYTHING: Expectation[] = [{ refused: true }, { messages: 0 }];

/** As if a trial expected something of all that a rule is about. */
function everything(plan: Plan, rule: Rule): Expectation[] {
	const about = plan.messages.some((m) => m.rule.id === rule.id)
		? [{ messages: 0 }]
		: [{ rule: rule.id, writes: true }];
	return [...about, { refused: true }];
}

/** What the draft makes of a change, as a trial expects it: of what the rule is about. */
export function expectedOf(plan: Plan, rule: Rule, { records }: StepRun): Expectation[] {
	const [rec] = records;
	const out: Expectation[] = [];
	if (rule.each)
		return records.slice(1).flatMap((other) => {
			if (other.type !== rule.type) return [];
			const at = { type: other.type, id: other.id };
			return rule.outputs.map(({ field }): Expectation => {
				const v = other.values[plan.schema.type(rule.type).at.get(field)!];
				return { field, value: toJson(isList(v) ? [...v] : v), at };
			});
		});
	for (const c of compiledOf(plan, rule)) {
		if ('to' in c) {
			const mine = rec.messages.some((m) => m.blocking) ? [] : rec.sends;
			out.push({ messages: mine.length });
			continue;
		}
		const field = c.field.id;
		const v = rec.values[c.target];
		const value = toJson(isList(v) ? [...v] : v);
		if ('output' in c) {
			const sent = rec.changes.some((x) => x.field === field);
			const idle = !rec.created && !sent && same(v, rec.was[c.target]);
			out.push(idle ? { field, stays: true } : { field, value });
			continue;
		}
		const said = rec.messages.find((m) => m.claim === c.id);
		if (c.kind === 'check')
			out.push(
				c.blocking
					? { refused: Boolean(said), field, ...(said ? { text: said.text } : {}) }
					: { field, advised: Boolean(said), ...(said ? { text: said.text } : {}) }
			);
		else if (c.kind === 'required') out.push({ refused: Boolean(said), field });
		else if (c.kind === 'hidden') out.push({ field, state: 'hidden', is: rec.hidden.has(field) });
		else out.push({ field, value });
	}
	return out;
}

/** Changes that may get to points of a rule, simple ones first. */
export function* drafts(
	plan: Plan,
	rule: Rule,
	open: readonly Point[],
	zones: ZoneClock
): Generator<Trial> {
	const probe = new Probe(plan, zones, new Effort());
	const { schema } = plan;
	if (rule.each) {
		yield* draftsOfParents(probe, rule);
		return;
	}
	const { type } = schema.type(rule.type);
	const values = (id: string) =>
		ordinary(
			type.fields.find((x) => x.id === id)!,
			schema
		);
	const some = (id: string, but: JsonValue): JsonValue =>
		values(id).find((v) => canonicalJson(v) !== canonicalJson(but)) ?? null;
	const [first] = compiledOf(plan, rule);
	const node =
		plan.nodes[plan.types.get(rule.type)!.position[first && 'target' in first ? first.target : -1]];
	let all: Witness[];
	try {
		all =
			first && 'output' in first
				? candidates(probe, first, node).flatMap((w) => withRelated(probe, w, first as Claim))
				: candidatesOfRules(probe, rule.type, [rule]);
	} catch (e) {
		if (!(e instanceof TooMuch)) throw e;
		return;
	}
	// a message speaks of other records too: of those it is not that they are the sample's
	all = all.map((w) => ({
		...w,
		values: pick(
			w.values,
			Object.keys(w.values).filter((k) => schema.field(rule.type, k))
		)
	}));
	if (!all.length) all = [{ values: {}, near: [] }];
	// what it watches and does not read sets it off as well
	const watched = (rule.watch ?? []).filter((id) => !all.some((w) => id in w.values));
	const set = Object.fromEntries(watched.map((id) => [id, some(id, null)]));
	all = all.map((w) => ({ ...w, values: { ...set, ...w.values } }));
	all = [...all, ...all.slice(0, 10).flatMap((w) => withOthers(plan, rule, w))];
	// at and beside each limit nobody tried, from a record where the rule has something to say
	const base = all.slice(0, Math.max(2, Math.floor(60 / (open.filter((p) => p.near).length || 1))));
	const sides = open.flatMap(({ near }) =>
		near
			? base.map((w) => {
					const at: Witness = structuredClone(w);
					for (const { spot, value } of near) probe.put(at, rule.type, spot, value);
					return at;
				})
			: []
	);
	const roads = rule.entryPoints?.length ? [rule.entryPoints[0]] : (['full'] as EntryPoint[]);
	const road = roads[0];
	const other = ENTRY_POINTS.find((e) => rule.entryPoints && !rule.entryPoints.includes(e));
	const outputs = rule.outputs.map((o) => o.field);
	const trial = (
		w: Witness,
		was: Record<string, JsonValue> | null,
		sent: Record<string, JsonValue>,
		entryPoint: EntryPoint = road
	): Trial => ({
		id: '',
		name: '',
		type: rule.type,
		was: was && present(was),
		sent: Object.entries(was ? sent : present(sent)),
		entryPoint,
		at: new Date(PROBE_INSTANT).toISOString(),
		person: first && 'outside' in first && first.outside.has('person') ? OWN_LINK : null,
		...(w.near.length ? { near: w.near, record: OWN_ID } : {}),
		expect: []
	});
	const [plain] = all;
	for (const w of [...sides, ...all]) {
		yield trial(w, null, w.values);
		// the same as a change of a record that is otherwise
		const changed = Object.keys(w.values).filter(
			(k) => (w.values[k] ?? null) !== (plain.values[k] ?? null)
		);
		if (changed.length) yield trial(w, { ...plain.values }, pick(w.values, changed));
		else {
			const [key] = Object.keys(w.values);
			if (key)
				yield trial(w, { ...w.values, [key]: some(key, w.values[key]) }, pick(w.values, [key]));
		}
	}
	for (const w of [...sides, ...all].slice(0, 40)) {
		for (const [key, v] of Object.entries(w.values))
			if (v !== null) yield trial(w, w.values, { [key]: null });
		// what holds goes on to hold while something that it reads changes
		if (rule.entering)
			for (const [key, v] of Object.entries(w.values))
				yield trial(w, w.values, { [key]: some(key, v) });
		// by hand as well, and with a value there
		for (const id of outputs)
			for (const value of values(id).slice(0, 3)) {
				const keys = Object.keys(w.values).filter((k) => k !== id);
				yield trial(w, null, { ...pick(w.values, keys), [id]: value });
				const [key] = keys;
				if (key)
					yield trial(
						w,
						{ ...pick(w.values, keys), [key]: some(key, w.values[key]) },
						{ [key]: w.values[key], [id]: value }
					);
				yield trial(w, pick(w.values, keys), { [id]: value });
				if (key)
					yield trial(
						w,
						{ ...pick(w.values, keys), [key]: some(key, w.values[key]), [id]: value },
						{ [key]: w.values[key] }
					);
			}
		// something else
		const own = new Set([...Object.keys(w.values), ...outputs, ...(rule.watch ?? [])]);
		const idle = type.fields.find((f) => !own.has(f.id) && f.type === 'text' && !f.retired);
		if (idle) yield trial(w, w.values, { [idle.id]: 'Another text' });
		for (const e of rule.entryPoints ?? []) yield trial(w, null, w.values, e);
		if (other) yield trial(w, null, w.values, other);
	}
}

/** Most records of each side that are tried together. */
const MOST_PAIRED = 12;

/** Changes of the record that sets a rule off, each with a record that links to it. */
function* draftsOfParents(probe: Probe, rule: Rule): Generator<Trial> {
	const { schema } = probe;
	const link = schema.field(rule.type, rule.each!);
	if (!link?.target) return;
	const { type } = schema.type(link.target);
	const values = (id: string) => {
		const field = type.fields.find((f) => f.id === id);
		return field ? ordinary(field, schema) : [];
	};
	const own = candidatesOfRules(probe, rule.type, [{ ...rule, each: undefined, guard: null }]);
	const guard = rule.guard && 'expr' in rule.guard ? rule.guard.expr : null;
	const parents = guard ? candidatesFor(probe, link.target, guard) : [{ values: {}, near: [] }];
	const watched = (rule.watch ?? []).filter((id) => !parents.some((w) => id in w.values));
	const set = Object.fromEntries(watched.map((id) => [id, values(id)[0] ?? null]));
	const outputs = rule.outputs.map((o) => o.field);
	const made = (
		was: Record<string, JsonValue> | null,
		sent: Record<string, JsonValue>,
		held: Record<string, JsonValue>,
		entryPoint: EntryPoint
	): Trial => {
		const near = {
			type: rule.type,
			id: OWN_LINK,
			values: present({ ...held, [rule.each!]: OWN_ID })
		};
		return {
			id: '',
			name: '',
			type: link.target!,
			was: was && present(was),
			sent: Object.entries(was ? sent : present(sent)),
			entryPoint,
			at: new Date(PROBE_INSTANT).toISOString(),
			person: null,
			record: OWN_ID,
			near: [near],
			expect: outputs.map((field) => ({
				field,
				value: null,
				at: { type: rule.type, id: OWN_LINK }
			}))
		};
	};
	const road = rule.entryPoints?.[0] ?? 'full';
	const other = ENTRY_POINTS.find((e) => rule.entryPoints && !rule.entryPoints.includes(e));
	const idle = type.fields.find((f) => f.type === 'text' && !rule.watch?.includes(f.id));
	for (const parent of parents.slice(0, MOST_PAIRED))
		for (const w of (own.length ? own : [{ values: {} }]).slice(0, MOST_PAIRED)) {
			const now = { ...set, ...parent.values };
			for (const key of Object.keys(now)) {
				const was = values(key).find((v) => canonicalJson(v) !== canonicalJson(now[key])) ?? null;
				yield made({ ...now, [key]: was }, { [key]: now[key] }, w.values, road);
				yield made({ ...now, [key]: null }, { [key]: now[key] }, w.values, road);
				if (other) yield made({ ...now, [key]: was }, { [key]: now[key] }, w.values, other);
				for (const field of outputs)
					for (const v of ordinary(schema.field(rule.type, field)!, schema).slice(0, 2))
						yield made(
							{ ...now, [key]: was },
							{ [key]: now[key] },
							{ ...w.values, [field]: v },
							road
						);
			}
			if (idle) yield made(now, { [idle.id]: 'Another text' }, w.values, road);
			yield made(null, now, w.values, road);
		}
}

/** Ordinary values of a field. */
function ordinary(field: Field, schema: Schema): JsonValue[] {
	const PLAIN: Partial<Record<Field['type'], JsonValue[]>> = {
		text: ['Any text', 'Another text'],
		email: ['ann@fen.example', 'bob@fen.example'],
		phone: ['+31 20 794 0311', '+31 20 794 0312'],
		moment: ['2026-11-02T09:00:00Z', '2026-11-03T09:00:00Z'],
		date: ['2026-11-02', '2026-11-03'],
		number: ['2', '3'],
		money: ['2', '3'],
		percent: ['2', '3'],
		yesno: [true, false],
		link: [OWN_LINK, OTHER_LINK]
	};
	const open = (schema.lists.get(field.list ?? '')?.options ?? []).filter((o) => !o.retired);
	if (field.type === 'choice') return open.map((o) => o.id);
	if (field.type === 'choices') return open.map((o) => [o.id]);
	return PLAIN[field.type] ?? [];
}

/** Records that links of proposed trials lead to. */
const OWN_LINK = '920000000000001';
const OTHER_LINK = '920000000000002';

/** A record with others that it finds by their values, one and two of them, and that messages go to. */
function withOthers(plan: Plan, rule: Rule, w: Witness): Witness[] {
	const { schema } = plan;
	const out: Witness[] = [];
	const other = (k: number, type: string, values: Record<string, JsonValue>) => ({
		type,
		id: String(Number(OWN_LINK) + 10 + k),
		values
	});
	const finds = writerOf(rule.body)?.finds(rule.body) ?? [];
	const [first] = finds;
	if (first)
		for (const text of Object.values(w.values)) {
			if (typeof text !== 'string') continue;
			const same = Object.fromEntries(finds.map((f) => [f.field, text]));
			for (const n of [0, 1, 2])
				out.push({
					...w,
					near: [...w.near, ...Array.from({ length: n }, (_, k) => other(k, first.type, same))]
				});
		}
	const to = senderOf(rule.body)?.goesTo(rule.body).type;
	if (to)
		for (const link of schema.type(to).type.fields) {
			if (link.target !== rule.type) continue;
			const mails = schema.type(to).type.fields.filter((f) => f.type === 'email');
			for (const mail of ['ann@fen.example', null])
				out.push({
					...w,
					near: [
						...w.near,
						other(0, to, {
							[link.id]: OWN_ID,
							...Object.fromEntries(mails.map((f) => [f.id, mail]))
						})
					]
				});
		}
	return out;
}

const present = (values: Record<string, JsonValue>) =>
	Object.fromEntries(Object.entries(values).filter(([, v]) => v !== null));

const pick = (values: Record<string, JsonValue>, keys: readonly string[]) =>
	Object.fromEntries(keys.map((k) => [k, values[k] ?? null]));
