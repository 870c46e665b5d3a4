/**
 * Changes made from what a rule reads: as a new record and as a change, with its target sent as well, with
 * a value there, by another road, with other records around. Who proposes trials, and who looks for what
 * tells two rule sets apart, tries them one after the other.
 */
import type { JsonValue } from '../document/json';
import type { EntryPoint, Rule } from '../document/rules';
import { ENTRY_POINTS } from '../document/rules';
import { canonicalJson } from '../document/canonical';
import type { Field, Schema } from '../document/model';
import { candidates, candidatesFor, candidatesOfRules, withRelated } from '../check/candidates';
import { Effort, OWN_ID, PROBE_INSTANT, Probe, TooMuch } from '../check/probe';
import { senderOf, writerOf } from '../kinds';
import type { Witness } from '../kinds/spec';
import type { Plan } from '../plan/plan';
import type { Trial } from '../trials/trials';
import type { ZoneClock } from '../value/temporal';
import { compiledOf, type Point } from './points';

type Values = Record<string, JsonValue>;

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
				? candidates(probe, first, node).flatMap((w) => withRelated(probe, w, first))
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
	const { road, other } = roadsOf(rule);
	const outputs = rule.outputs.map((o) => o.field);
	const person = first && 'outside' in first && first.outside.has('person') ? OWN_LINK : null;
	const trial = (w: Witness, was: Values | null, sent: Values, by = road): Trial => ({
		...changeOf(rule.type, was, sent, by),
		person,
		...(w.near.length ? { near: w.near, record: OWN_ID } : {})
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
	const at = { type: rule.type, id: OWN_LINK };
	const { road, other } = roadsOf(rule);
	const made = (was: Values | null, sent: Values, held: Values, by = road): Trial => ({
		...changeOf(link.target!, was, sent, by),
		record: OWN_ID,
		near: [{ ...at, values: present({ ...held, [rule.each!]: OWN_ID }) }],
		// so that the change runs on to it
		expect: outputs.map((field) => ({ field, value: null, at }))
	});
	const idle = type.fields.find((f) => f.type === 'text' && !rule.watch?.includes(f.id));
	for (const parent of parents.slice(0, MOST_PAIRED))
		for (const w of (own.length ? own : [{ values: {} }]).slice(0, MOST_PAIRED)) {
			const now = { ...set, ...parent.values };
			for (const key of Object.keys(now)) {
				const was = values(key).find((v) => canonicalJson(v) !== canonicalJson(now[key])) ?? null;
				yield made({ ...now, [key]: was }, { [key]: now[key] }, w.values);
				yield made({ ...now, [key]: null }, { [key]: now[key] }, w.values);
				if (other) yield made({ ...now, [key]: was }, { [key]: now[key] }, w.values, other);
				for (const field of outputs)
					for (const v of ordinary(schema.field(rule.type, field)!, schema).slice(0, 2))
						yield made({ ...now, [key]: was }, { [key]: now[key] }, { ...w.values, [field]: v });
			}
			if (idle) yield made(now, { [idle.id]: 'Another text' }, w.values);
			yield made(null, now, w.values);
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
	const other = (k: number, type: string, values: Values) => ({
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

/** The road by which a rule takes a change, and one that it leaves out. */
const roadsOf = (rule: Rule) => ({
	road: rule.entryPoints?.[0] ?? ('full' as EntryPoint),
	other: ENTRY_POINTS.find((e) => rule.entryPoints && !rule.entryPoints.includes(e))
});

/** A change that nobody expects anything of yet. */
const changeOf = (
	type: string,
	was: Values | null,
	sent: Values,
	entryPoint: EntryPoint
): Trial => ({
	id: '',
	name: '',
	type,
	was: was && present(was),
	sent: Object.entries(was ? sent : present(sent)),
	entryPoint,
	at: new Date(PROBE_INSTANT).toISOString(),
	person: null,
	expect: []
});

const present = (values: Values) =>
	Object.fromEntries(Object.entries(values).filter(([, v]) => v !== null));

const pick = (values: Values, keys: readonly string[]) =>
	Object.fromEntries(keys.map((k) => [k, values[k] ?? null]));
