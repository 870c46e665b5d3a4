/**
 * What can be proven wrong about a rule set before anybody uses it. A finding that a record can
 * show carries that record, and it was run through the engine before it is shown.
 */
import { compileDefinition } from '../feel/compile';
import { FUNCTION_NAMES } from '../feel/functions';
import { nameKey } from '../feel/names';
import type { JsonValue } from '../model/codec';
import { currencyDigits } from '../model/currency';
import type { Field, Model, ReferenceTable, Schema } from '../model/model';
import { refKey } from '../model/model';
import type { DecisionBody, Limit, LookupBody, Rule, RuleSet } from '../model/rules';
import { claimId, sheetOf } from '../model/rules';
import type { Claim, Place, Plan, PlanNode } from '../plan/plan';
import { bandText, readFormula } from '../plan/plan';
import { recordsLoader, valuesFromJson } from '../trials/trials';
import type { Outcome, SubmittedRecord } from '../settle/settle';
import { settle } from '../settle/settle';
import { cellText, doubledRows } from '../tables/cells';
import { readCell } from '../tables/decision';
import { indexTable } from '../tables/reference';
import * as n from '../value/num';
import { Num, parseNum } from '../value/num';
import { LocalDate } from '../value/temporal';
import type { ZoneClock } from '../value/temporal';
import type { Value } from '../value/value';
import type { Expr, Formula, Tests } from '../feel/tree';
import { ANY } from '../feel/types';
import type { Analysis, Combination, Domain } from './boxes';
import { analyseBoxes } from './boxes';
import { fromJson, toJson } from '../model/codec';
import { tryClaim, tryUpdate } from './behaviour';
import type { Spot } from './cells';
import { spotOf } from './cells';
import { givesNothing, guardTruth, outrankedBy, saySpots } from './guards';
import type { Witness } from './probe';
import { PROBE_INSTANT, Probe } from './probe';
import type { Checked, Finding, NotAnalysed } from './types';

export type { Checked, Finding, NotAnalysed, Repair } from './types';

/** Everything found in a rule set, the problems of compiling first, and what could not be analysed. */
export function analyse(plan: Plan, set: RuleSet, zones: ZoneClock): Checked {
	const out: Finding[] = [];
	const open: NotAnalysed[] = [];
	const byRule = new Map(set.rules.map((r) => [r.id, r]));
	plan.problems.forEach((p) => {
		const rule = byRule.get(p.rule)!;
		out.push({
			...base(rule, p.place, `problem ${p.place}`),
			severity: 'blocking',
			message: p.message
		});
	});
	out.push(...definitionFaults(plan.schema), ...tableFaults(plan.schema));
	const broken = new Set(plan.problems.map((p) => p.rule));
	const check = new Check(plan, zones, (rule, message) =>
		open.push({ rule: rule.id, type: rule.type, field: sheetOf(rule), message })
	);
	for (const rule of set.rules)
		if (!rule.off && !broken.has(rule.id)) out.push(...check.rule(rule));
	const seen = new Map<string, number>();
	for (const f of out) {
		const times = seen.get(f.id) ?? 0;
		seen.set(f.id, times + 1);
		if (times) f.id = `${f.id}-${times + 1}`;
	}
	return { findings: out, open };
}

function base(rule: Rule, place: Place, what: string) {
	return {
		id: `${rule.id}-${what.replace(/[^a-z0-9]+/gi, '-')}`.toLowerCase(),
		part: { kind: 'rule' as const, id: rule.id },
		rule: rule.id,
		type: rule.type,
		field: sheetOf(rule),
		place
	};
}

function ofPart(kind: 'definition' | 'table', id: string, what: string) {
	return {
		id: `${kind}-${id}-${what}`.toLowerCase(),
		part: { kind, id },
		rule: '',
		type: '',
		field: '',
		place: 'input' as const
	};
}

function definitionFaults(schema: Schema): Finding[] {
	return [...schema.definitions.values()].flatMap((d) => {
		const out: Finding[] = [];
		const key = nameKey(d.name);
		const twin = [...schema.definitions.values()].find(
			(x) => x.id !== d.id && nameKey(x.name) === key
		);
		const said = (message: string, nth: number) =>
			out.push({ ...ofPart('definition', d.id, `fault-${nth}`), severity: 'blocking', message });
		if (twin && twin.id < d.id)
			said(`Two definitions are called “${d.name}”; a formula cannot tell them apart.`, 0);
		if (FUNCTION_NAMES.includes(key)) said(`“${d.name}” is the name of a function.`, 1);
		compileDefinition(d, schema).faults.forEach((f, i) => said(`${d.name}: ${f.message}`, i + 2));
		return out;
	});
}

/** Faults of tables; two rows for one key, where no range parts them. */
function tableFaults(schema: Schema): Finding[] {
	return [...schema.tables.values()].flatMap((t) => {
		const faults = indexTable(t, schema).faults.slice(0, 20);
		const out = faults.map((f, i): Finding => ({
			...ofPart('table', t.id, `fault-${i}`),
			severity: 'blocking',
			message: `${t.label}: ${f.message}`
		}));
		if (faults.length) return out;
		for (const [row, first] of overlappingRanges(t, schema))
			out.push({
				...ofPart('table', t.id, `overlap-${row}`),
				severity: 'advisory',
				message: `${t.label}: rows ${first + 1} and ${row + 1} both take ${sayKey(t, row, schema)}, so a look-up finds both.`,
				certificate: 'the key was looked up in the table'
			});
		for (const [row, first] of [...doubledRows(t)].slice(0, 20))
			out.push({
				...ofPart('table', t.id, `double-${row}`),
				severity: 'advisory',
				message: `${t.label}: row ${row + 1} has the same key as row ${first + 1}, so a look-up finds both.`
			});
		return out;
	});
}

/** Rows whose range shares a value with that of an earlier row, where all other keys are the same. */
function overlappingRanges(t: ReferenceTable, schema: Schema): [row: number, first: number][] {
	if (!t.keys.some((k) => k.match === 'range')) return [];
	const index = indexTable(t, schema);
	const at = (id: string) => t.columns.findIndex((c) => c.id === id);
	const out = new Map<number, number>();
	for (let r = 0; r < t.rows.length && out.size < 20; r++) {
		// two ranges that overlap share the start of the later one
		const key = t.keys.map((k) => {
			if (k.match !== 'range') return index.value(r, at(k.column));
			return index.value(r, at(k.from)) ?? index.value(r, at(k.to));
		});
		if (key.some((v) => v === null)) continue;
		const [first, second] = index.find(key);
		if (second !== undefined && !out.has(second)) out.set(second, first);
	}
	return [...out];
}

function sayKey(t: ReferenceTable, row: number, schema: Schema): string {
	return t.keys
		.map((k) => t.columns.findIndex((c) => c.id === (k.match === 'range' ? k.from : k.column)))
		.map((i) => cellText(t.columns[i], t.rows[row][i] ?? null, schema) || 'blank')
		.join(', ');
}

class Check {
	private readonly schema: Schema;
	private readonly probe: Probe;

	constructor(
		private readonly plan: Plan,
		private readonly zones: ZoneClock,
		/** Takes note of what could not be analysed. */
		private readonly notAnalysed: (rule: Rule, message: string) => void
	) {
		this.schema = plan.schema;
		this.probe = new Probe(plan, zones);
	}

	rule(rule: Rule): Finding[] {
		const found = [
			...this.blankInput(rule),
			...this.watch(rule),
			...this.mixedCurrencies(rule),
			...this.retired(rule),
			...this.guard(rule),
			...this.claims(rule)
		];
		if (rule.body.kind === 'bands') found.push(...this.bands(rule, rule.body));
		if (rule.body.kind === 'options') found.push(...this.options(rule, rule.body));
		if (rule.body.kind === 'lookup') found.push(...this.lookup(rule, rule.body));
		if (rule.body.kind === 'table') found.push(...this.table(rule, rule.body));
		return found;
	}

	/**
	 * Runs the witness as a new record. A finding is only made when the engine shows it; a guard or
	 * an earlier claim may keep the case from ever reaching the rule.
	 */
	private shows(
		rule: Rule,
		witness: Record<string, JsonValue>,
		outcomes: Outcome[],
		near: Witness['near'] = []
	): boolean {
		const { reports } = this.probe.run(rule.type, { values: witness, near });
		return reports.some((r) => r.rule === rule.id && outcomes.includes(r.outcome));
	}

	/** Guards that never or always hold. */
	private guard(rule: Rule): Finding[] {
		const of = this.ofRule(rule);
		if (!rule.guard || !of?.guard || rule.each) return [];
		const known = guardTruth(this.probe, rule, of.guard);
		if (!known) {
			this.notAnalysed(
				rule,
				rule.entering || ('eventful' in of && of.eventful)
					? 'Its condition is about an event; whether that can come is not looked at.'
					: 'Its condition does more than compare fields with constants.'
			);
			return [];
		}
		if (known.truth === 'depends') return [];
		const never = known.truth === 'never';
		const certificate = `tried at all ${known.tried} combinations of ${saySpots(known.axes)} that it can tell apart`;
		return [
			{
				...base(rule, 'guard', 'guard'),
				severity: never ? 'blocking' : 'advisory',
				message: never
					? 'Its condition can never hold, so it never does anything.'
					: 'Its condition always holds, so it says nothing.',
				certificate,
				...(never
					? {}
					: { repair: { do: 'always' as const, rule: rule.id, label: 'Take the condition away' } })
			}
		];
	}

	/** A claim, Validate rule or message of a rule: what its guard is compiled to. */
	private ofRule(rule: Rule) {
		const id = claimId(rule.id, rule.outputs[0]?.id ?? '');
		const { claims, validators, messages } = this.plan;
		return claims.get(id) ?? validators.get(id) ?? messages.find((m) => m.rule.id === rule.id);
	}

	/** Each claim of a rule: whether it can ever write, and what trying it shows. */
	private claims(rule: Rule): Finding[] {
		const out: Finding[] = [];
		for (const output of rule.outputs) {
			const c = this.plan.claims.get(claimId(rule.id, output.id));
			const node = c && this.nodeOf(rule.type, output.field);
			if (!c || !node) continue;
			const of = (place: Place, what: string) => ({
				...base(rule, place, `${what} ${output.id}`),
				field: output.field
			});
			const above = outrankedBy(this.probe, node.claims, node.claims.indexOf(c));
			if (above) {
				const names = above.by.map((x) => `“${x.rule.name}”`);
				out.push({
					...of('order', 'outranked'),
					severity: 'advisory',
					message: `It never gives ${c.field.label} its value: ${names.join(' and ')} ${names.length > 1 ? 'come' : 'comes'} first wherever it applies.`,
					certificate: `tried at all ${above.tried} combinations that these rules can tell apart`
				});
			}
			const nothing = output.none === 'clear' ? null : givesNothing(this.probe, c);
			if (nothing)
				out.push({
					...of('outputs', 'nothing'),
					severity: 'blocking',
					message: `It gives ${c.field.label} nothing in any case.`,
					certificate: `tried at all ${nothing.tried} combinations or rows`
				});
			const shown = c.each >= 0 ? [this.update(c, node)] : tryClaim(this.probe, c, node);
			for (const s of shown)
				if (s) {
					const { what, place, ...rest } = s;
					out.push({ ...of(place, what), ...rest });
				}
		}
		return out;
	}

	private update(c: Claim, node: PlanNode) {
		return tryUpdate(this.probe, c, node, (claim, parent) => this.settlePair(claim, parent));
	}

	/** An update run at one related record, and what the next save of that record makes of it. */
	private settlePair(c: Claim, parent: Record<string, JsonValue>) {
		const { rule, target } = c;
		const link = rule.each!;
		const of = this.schema.field(rule.type, link)!.target!;
		const stored = (type: string, id: string, json: Record<string, JsonValue>) => ({
			type,
			id,
			values: valuesFromJson(this.schema, type, json)
		});
		const [up, own] = [
			stored(of, '900000000000001', {}),
			stored(rule.type, '900000000000002', { [link]: '900000000000001' })
		];
		const run = (records: SubmittedRecord[], near: (typeof up)[]) =>
			settle(
				this.plan,
				{ records, entryPoint: 'full', instant: PROBE_INSTANT, person: null },
				recordsLoader(this.schema, near),
				{ explain: true, zones: this.zones }
			);
		const sent = new Map(
			Object.entries(parent).map(([id, v]) => {
				const r = fromJson(this.schema.field(of, id)!, v, this.schema);
				return [id, r.ok ? r.value : null];
			})
		);
		const submit = { created: false, keep: new Set<string>() };
		const first = run(
			[{ ...submit, type: of, id: up.id, was: up.values, sent, inLine: true }],
			[up, own]
		);
		const child = first.records.find((r) => r.type === rule.type && r.id === own.id);
		if (child?.reports.find((r) => r.claim === c.id)?.outcome !== 'wrote') return null;
		const now = { ...up, values: [...first.records[0].values] };
		const second = run(
			[
				{
					...submit,
					type: rule.type,
					id: own.id,
					was: child.values,
					sent: new Map(),
					inLine: false
				}
			],
			[now, { ...own, values: [...child.values] }]
		).records[0];
		const by = second.changes.find((x) => x.field === c.field.id)?.claim ?? null;
		return { wrote: child.values[target], then: second.values[target], by };
	}

	/** Options that are retired and that the rule still speaks of. */
	private retired(rule: Rule): Finding[] {
		const found = new Map<string, string>();
		const visit = (x: unknown) => {
			if (typeof x !== 'object' || x === null) return;
			const e = x as Expr;
			if (e.k === 'option') {
				const o = this.schema.option(e.list, e.option);
				if (o?.retired) found.set(o.label, this.schema.lists.get(e.list)!.label);
			} else Object.values(x).forEach(visit);
		};
		visit([rule.guard, rule.body]);
		for (const [i, output] of rule.outputs.entries()) {
			const f = this.schema.field(rule.type, output.field);
			if (!f?.list) continue;
			for (const v of resultsOf(rule, i))
				for (const id of Array.isArray(v) ? v : [v]) {
					const o = typeof id === 'string' ? this.schema.option(f.list, id) : undefined;
					if (o?.retired) found.set(o.label, f.label);
				}
		}
		return [...found].map(([option, list]) => ({
			...base(rule, 'input', `retired ${option}`),
			severity: 'advisory' as const,
			message: `It speaks of “${option}” of ${list}, which is retired and cannot be chosen anew.`,
			certificate: 'the option is marked as retired'
		}));
	}

	/** The one own field that the input of bands reads as it is, if it does. */
	private plainInput(rule: Rule): string | null {
		const { body } = rule;
		if (body.kind === 'options') return body.input;
		if (body.kind !== 'bands' || !('expr' in body.input)) return null;
		const e = body.input.expr;
		return e.k === 'field' && e.image === 'settled' && e.type === rule.type ? e.field : null;
	}

	/** Values that make the simple guards of a rule true: fields compared with a constant. */
	private guardValues(rule: Rule): Record<string, JsonValue> {
		const out: Record<string, JsonValue> = {};
		if (!rule.guard || !('expr' in rule.guard)) return out;
		const e = rule.guard.expr;
		for (const part of e.k === 'and' ? e.items : [e]) {
			if (part.k === 'field') out[part.field] = true;
			if (part.k !== 'bin' || part.op !== '=' || part.a.k !== 'field') continue;
			const { b } = part;
			if (b.k === 'option') out[part.a.field] = b.option;
			else if (b.k === 'num' || b.k === 'text') out[part.a.field] = b.v;
			else if (b.k === 'bool') out[part.a.field] = b.v;
		}
		return out;
	}

	private blankInput(rule: Rule): Finding[] {
		const { body } = rule;
		if ((body.kind !== 'bands' && body.kind !== 'options') || body.blank !== null) return [];
		if (this.passesOn(rule)) return [];
		const witness = this.guardValues(rule);
		const input = this.plainInput(rule);
		if (input) delete witness[input];
		if (!this.shows(rule, witness, ['blank', 'left', 'cleared'])) return [];
		const label = input ? this.schema.field(rule.type, input)!.label : 'input';
		return [
			{
				...base(rule, 'blank', 'blank'),
				severity: 'advisory',
				message: `Nobody said what a blank ${label.toLowerCase()} gives; now it gives nothing.`,
				witness,
				repair: { do: 'say blank', rule: rule.id, label: 'Say: blank gives no result' }
			}
		];
	}

	/** Watched fields narrowed so that a value can go stale, and such as the rule does not read. */
	private watch(rule: Rule): Finding[] {
		const of = this.ofRule(rule);
		if (!rule.watch || !of || rule.each || rule.body.kind === 'message') return [];
		const own = of.reads.filter((r) => r.type === rule.type && !r.via.length);
		const missing = of.reads.filter((r) => r.type === rule.type && !rule.watch!.includes(r.field));
		const out: Finding[] = [];
		if (missing.length) {
			const names = missing.map((r) => this.schema.field(r.type, r.field)!.label).join(', ');
			out.push({
				...base(rule, 'watch', 'watch'),
				severity: 'advisory',
				message: `It reads ${names} without watching, so its value can go stale.`,
				certificate: 'what it reads, beside what it watches',
				repair: { do: 'watch all', rule: rule.id, label: 'Watch all that it reads' }
			});
		}
		// a rule that reads nothing of the record is a stamp: it watches and does not read
		for (const id of own.length ? rule.watch : [])
			if (!own.some((r) => r.field === id)) {
				const label = this.schema.field(rule.type, id)?.label ?? id;
				out.push({
					...base(rule, 'watch', `unread ${id}`),
					severity: 'advisory',
					message: `It watches ${label} and does not read it, so it runs without a reason.`,
					certificate: 'what it watches, beside what it reads',
					repair: {
						do: 'watch less',
						rule: rule.id,
						field: id,
						label: `No longer watch ${label}`
					}
				});
			}
		return out;
	}

	/** Amounts of different currencies added or taken from each other; the fields are the certificate. */
	private mixedCurrencies(rule: Rule): Finding[] {
		const { body } = rule;
		const formulas: [Place, Formula | null][] = [['guard', rule.guard]];
		if (body.kind === 'formula')
			body.formulas.forEach((f, i) => formulas.push([`formula ${i}`, f]));
		else if (body.kind === 'check') formulas.push(['formula 0', body.holds]);
		else if (body.kind === 'bands' || body.kind === 'split') formulas.push(['input', body.input]);
		else if (body.kind === 'table') body.inputs.forEach((f, i) => formulas.push([`input ${i}`, f]));
		return formulas.flatMap(([place, f]) => {
			const expr = f && readFormula(f, { schema: this.schema, type: rule.type }).compiled?.expr;
			const mixed = expr && mixedIn(expr, this.schema);
			if (!mixed) return [];
			return [
				{
					...base(rule, place, `currencies ${place}`),
					severity: 'blocking' as const,
					message: `This adds amounts in ${mixed[0]} and ${mixed[1]}, which have no common sum.`
				}
			];
		});
	}

	private bands(rule: Rule, body: Rule['body'] & { kind: 'bands' }): Finding[] {
		if (this.passesOn(rule)) return [];
		const input = this.plainInput(rule);
		const out: Finding[] = [];
		body.results.forEach((r, k) => {
			if (r) return;
			const value = insideBand(body.limits, k);
			if (value === null || !input) return;
			const witness = { ...this.guardValues(rule), [input]: value };
			if (!this.shows(rule, witness, ['no row', 'left', 'cleared'])) return;
			const field = this.schema.field(rule.type, input)!;
			const inner = k > 0 && k < body.limits.length;
			const neighbour = k === 0 ? 1 : k - 1;
			const taker = body.results[neighbour];
			out.push({
				...base(rule, `result ${k}`, `gap ${k}`),
				severity: inner ? 'blocking' : 'advisory',
				message: `Nothing takes ${field.label.toLowerCase()} ${bandText(body.limits, k)}. ${field.label} ${value} gives no result.`,
				witness,
				...(taker
					? {
							repair: {
								do: 'take gap' as const,
								rule: rule.id,
								band: k,
								label: `Widen “${this.say(rule, taker[0])}” over it`
							}
						}
					: {})
			});
		});
		return out;
	}

	private options(rule: Rule, body: Rule['body'] & { kind: 'options' }): Finding[] {
		if (this.passesOn(rule)) return [];
		const source = this.schema.field(rule.type, body.input)!;
		const keys =
			source.type === 'yesno'
				? ['true', 'false']
				: this.schema.lists
						.get(source.list!)!
						.options.filter((o) => !o.retired)
						.map((o) => o.id);
		const out: Finding[] = [];
		for (const key of keys.filter((k) => !(k in body.rows))) {
			const witness = {
				...this.guardValues(rule),
				[source.id]: source.type === 'yesno' ? key === 'true' : key
			};
			if (!this.shows(rule, witness, ['no row', 'left', 'cleared'])) continue;
			const label =
				source.type === 'yesno'
					? key === 'true'
						? 'yes'
						: 'no'
					: this.schema.option(source.list!, key)!.label;
			out.push({
				...base(rule, 'input', `unmapped ${key}`),
				severity: 'blocking',
				message: `Nobody mapped “${label}” of ${source.label}; it gives no result.`,
				witness,
				repair: { do: 'map option', rule: rule.id, option: key, label: `Map “${label}”` }
			});
		}
		return out;
	}

	/** Options that no row of the table has, where one choice is the only key. */
	private lookup(rule: Rule, body: LookupBody): Finding[] {
		if (this.passesOn(rule)) return [];
		const table = this.schema.tables.get(body.table)!;
		const [key] = table.keys;
		const e = body.keys[0] && 'expr' in body.keys[0] ? body.keys[0].expr : null;
		if (table.keys.length !== 1 || key.match !== 'exact' || e?.k !== 'field') {
			this.notAnalysed(
				rule,
				`Which keys “${table.label}” lacks is looked for only where one field is its key.`
			);
			return [];
		}
		const column = table.columns.find((c) => c.id === key.column)!;
		const source = this.schema.field(e.type, e.field)!;
		if (column.type !== 'choice' || e.type !== rule.type || e.image !== 'settled') return [];
		const index = indexTable(table, this.schema);
		const out: Finding[] = [];
		for (const o of this.schema.lists.get(column.list!)!.options) {
			if (o.retired || index.find([o.id]).length) continue;
			const witness = { ...this.guardValues(rule), [source.id]: o.id };
			if (!this.shows(rule, witness, ['no row', 'left', 'cleared'])) continue;
			out.push({
				...base(rule, 'input', `no row ${o.id}`),
				severity: 'blocking',
				message: `“${table.label}” has no row for “${o.label}” of ${source.label}; it gives no result.`,
				witness,
				repair: {
					do: 'add table row',
					table: table.id,
					column: column.id,
					value: o.id,
					label: `Add a row for “${o.label}”`
				}
			});
		}
		return out;
	}

	/** The fields that a decision table reads as they are, with the values they can have; null where it computes. */
	private domains(rule: Rule, body: DecisionBody): { spot: Spot; domain: Domain }[] | null {
		const out: { spot: Spot; domain: Domain }[] = [];
		for (const f of body.inputs) {
			const e =
				'expr' in f
					? f.expr
					: readFormula(f, { schema: this.schema, type: rule.type }).compiled?.expr;
			const spot = e && spotOf(e, this.schema);
			const domain = spot && domainOf(spot.field, this.schema);
			if (!domain) return null;
			out.push({ spot, domain });
		}
		return out;
	}

	/** Combinations of a decision table that no row takes, that two take, and rows that never get their turn. */
	private table(rule: Rule, body: DecisionBody): Finding[] {
		const inputs = this.domains(rule, body);
		const scope = { schema: this.schema, type: rule.type };
		const cells = body.rows.map((r) =>
			body.inputs.map(
				(f, k) =>
					readCell(r.when[k] ?? { text: '' }, readFormula(f, scope).compiled?.ty ?? ANY, scope)
						.compiled?.tests ?? null
			)
		);
		const whole = cells.every((row) => row.every((c) => c !== null));
		const found = inputs && whole ? analysed(body, this.schema, inputs, cells as Tests[][]) : null;
		if (!found) {
			this.notAnalysed(
				rule,
				'Its table computes in its inputs or cells, so which combinations its rows take is not known.'
			);
			return [];
		}
		const out: Finding[] = [];
		const witnessOf = (c: Combination) => {
			const w: Witness = { values: { ...this.guardValues(rule) }, near: [] };
			inputs!.forEach(({ spot }, k) => this.probe.put(w, rule.type, spot, toJson(c.values[k])));
			return { witness: w.values, ...(w.near.length ? { near: w.near } : {}) };
		};
		const say = (c: Combination) =>
			inputs!
				.map(({ spot }, k) => `${spot.field.label} ${this.sayValue(spot.field, c.values[k])}`)
				.join(', ');
		const passesOn = this.passesOn(rule);
		const lists = body.hit.startsWith('C') || body.hit === 'R' || body.hit === 'O';
		for (const g of passesOn || lists ? [] : found.gaps) {
			const blank = g.values.includes(null);
			const shown = witnessOf(g);
			if (!this.shows(rule, shown.witness, ['no row', 'blank', 'left', 'cleared'], shown.near))
				continue;
			out.push({
				...base(rule, 'input', `gap ${say(g)}`),
				severity: blank ? 'advisory' : 'blocking',
				message: blank
					? `No row says what a blank gives: ${say(g)} gives no result.`
					: `No row takes ${say(g)}.`,
				...shown,
				repair: {
					do: 'add row',
					rule: rule.id,
					values: g.values.map(toJson),
					label: 'Add the missing row'
				}
			});
		}
		for (const o of body.hit === 'U' || body.hit === 'A' ? found.overlaps : []) {
			const shown = witnessOf(o);
			if (!this.shows(rule, shown.witness, ['several rows', 'left', 'cleared'], shown.near))
				continue;
			out.push({
				...base(rule, `cell ${o.rows[1]} 0`, `overlap ${o.rows.join(' ')}`),
				severity: 'blocking',
				message: `Rows ${o.rows.map((r) => r + 1).join(' and ')} both take ${say(o)}.`,
				...shown
			});
		}
		for (const c of body.hit === 'F' ? found.covered : found.covered.filter((x) => !x.by.length))
			out.push({
				...base(rule, `cell ${c.row} 0`, `covered ${c.row}`),
				severity: 'advisory',
				message: c.by.length
					? `Row ${c.row + 1} never gets its turn: ${c.by.length > 1 ? 'rows' : 'row'} ${c.by.map((r) => r + 1).join(', ')} ${c.by.length > 1 ? 'take' : 'takes'} all of it first.`
					: `Row ${c.row + 1} can never match: one of its cells takes no value.`,
				certificate: c.by.length
					? `rows ${c.by.map((r) => r + 1).join(', ')} cover it`
					: 'its cells exclude each other'
			});
		if (!found.complete)
			this.notAnalysed(
				rule,
				'Its table has too many combinations to look for every gap; those found are shown.'
			);
		return out;
	}

	/** Whether a rule without a result leaves its field to another rule behind it. */
	private passesOn(rule: Rule): boolean {
		const [output] = rule.outputs;
		const claims = this.claimsOf(rule.type, output?.field ?? '');
		const place = claims.findIndex((c) => c.rule.id === rule.id);
		return output?.none === 'next' && place >= 0 && place < claims.length - 1;
	}

	private nodeOf(type: string, field: string): PlanNode | undefined {
		const t = this.plan.types.get(type);
		const i = this.schema.types.get(type)?.at.get(field);
		const node = t && i !== undefined ? t.position[i] : -1;
		return node >= 0 ? this.plan.nodes[node] : undefined;
	}

	/** The claims of a field, in claim order. */
	private claimsOf(type: string, field: string): readonly Claim[] {
		return this.nodeOf(type, field)?.claims ?? [];
	}

	private sayValue(field: Field, v: Value): string {
		if (v === null) return 'blank';
		if (typeof v === 'boolean') return v ? 'yes' : 'no';
		return field.list && typeof v === 'string'
			? (this.schema.option(field.list, v)?.label ?? v)
			: String(v);
	}

	private say(rule: Rule, v: JsonValue): string {
		const f = this.schema.field(rule.type, rule.outputs[0].field);
		return f?.list && typeof v === 'string'
			? (this.schema.option(f.list, v)?.label ?? v)
			: String(v);
	}
}

const analyses = new WeakMap<DecisionBody, { model: Model; found: Analysis | null }>();

/** The analysis of a table; made once, as long as table and model stay the same. */
function analysed(
	body: DecisionBody,
	schema: Schema,
	inputs: readonly { domain: Domain }[],
	cells: Tests[][]
): Analysis | null {
	const had = analyses.get(body);
	if (had?.model === schema.model) return had.found;
	const found = analyseBoxes(
		inputs.map((i) => i.domain),
		cells
	);
	analyses.set(body, { model: schema.model, found });
	return found;
}

/** The currency of what an expression gives, where the fields it is made of tell one. */
function currencyOf(e: Expr, schema: Schema): string | null {
	const first = (...xs: Expr[]) =>
		xs.map((x) => currencyOf(x, schema)).find((c) => c !== null) ?? null;
	switch (e.k) {
		case 'field':
		case 'through': {
			const f = schema.field(e.type, e.field);
			if (f?.type !== 'money') return null;
			if (!f.currencyField) return f.currency ?? 'EUR';
			return `the currency of ${schema.field(e.type, f.currencyField)?.label ?? f.label}`;
		}
		case 'neg':
			return currencyOf(e.a, schema);
		case 'bin':
			// an amount by an amount is a ratio, in no currency
			if (e.op === '/' && currencyOf(e.b, schema)) return null;
			return ['+', '-', '*', '/'].includes(e.op) ? first(e.a, e.b) : null;
		case 'if':
			return first(e.t, e.e);
		case 'filter':
			return currencyOf(e.of, schema);
		case 'call':
			return ['sum', 'min', 'max', 'mean', 'otherwise', 'decimal', 'abs'].includes(e.fn)
				? first(...e.args)
				: null;
		default:
			return null;
	}
}

/** The two currencies that an expression adds somewhere, or null. */
function mixedIn(tree: unknown, schema: Schema): [string, string] | null {
	if (typeof tree !== 'object' || tree === null) return null;
	const e = tree as Expr;
	if (e.k === 'bin' && (e.op === '+' || e.op === '-')) {
		const [a, b] = [currencyOf(e.a, schema), currencyOf(e.b, schema)];
		if (a && b && a !== b) return [a, b];
	}
	for (const x of Object.values(tree)) {
		const found = mixedIn(x, schema);
		if (found) return found;
	}
	return null;
}

/** The values that a field can have, for the analysis of tables; null where they are not analysed. */
function domainOf(field: Field, schema: Schema): Domain | null {
	switch (field.type) {
		case 'number':
			return { kind: 'number', places: field.places ?? null };
		case 'percent':
			return { kind: 'number', places: field.places ?? null };
		case 'money':
			return {
				kind: 'number',
				places: field.currencyField ? null : currencyDigits(field.currency ?? 'EUR')
			};
		case 'date':
			return { kind: 'date' };
		case 'yesno':
			return { kind: 'options', values: [true, false] };
		case 'choice': {
			const options = schema.lists.get(field.list!)!.options.filter((o) => !o.retired);
			return { kind: 'options', values: options.map((o) => o.id) };
		}
		default:
			return null;
	}
}

/** A number, whole where there is one, or a date that lies in a band; null when the band holds none. */
export function insideBand(limits: readonly Limit[], k: number): string | null {
	const dates = limits.some((l) => LocalDate.parse(l.at));
	const read = (l: Limit | undefined) =>
		l && (dates ? dayNumber(LocalDate.parse(l.at)) : parseNum(l.at));
	const say = (x: Num | null) => {
		const day = x && n.toInteger(n.roundTo(x, 0, 'floor') ?? x);
		if (!dates) return x?.toString() ?? null;
		return day === null ? null : (LocalDate.fromEpochDay(day)?.toString() ?? null);
	};
	const lo = read(limits[k - 1]);
	const hi = read(limits[k]);
	if (lo === null || hi === null) return null;
	if (!lo && !hi) return '0';
	if (!lo) return say(limits[k].belongs === 'below' ? hi! : n.sub(hi!, n.num(1)));
	if (limits[k - 1].belongs === 'above') return say(lo);
	if (!hi) return say(n.add(lo, n.num(1)));
	const sum = n.add(lo, hi);
	return say(sum && n.div(sum, n.num(2)));
}
const dayNumber = (d: LocalDate | null) => d && n.num(d.epochDay);

/** How many claims write each field, and how firmly, for the ledger. */
export function claimCounts(set: RuleSet): Map<string, { count: number; firmest: string }> {
	const rank = ['check', 'once', 'fill', 'follow', 'locked'];
	const out = new Map<string, { count: number; firmest: string }>();
	for (const rule of set.rules)
		for (const o of rule.off ? [] : rule.outputs) {
			const key = refKey(rule.type, o.field);
			const had = out.get(key);
			const hold = rule.kind === 'validate' ? 'check' : o.hold;
			const firmest = had && rank.indexOf(had.firmest) > rank.indexOf(hold) ? had.firmest : hold;
			out.set(key, { count: (had?.count ?? 0) + 1, firmest });
		}
	return out;
}

/** The constant results of one output of a map or of bands. */
function resultsOf(rule: Rule, output: number): JsonValue[] {
	const { body } = rule;
	const rows =
		body.kind === 'options'
			? Object.values(body.rows)
			: body.kind === 'bands'
				? body.results.filter((r) => r !== null)
				: [];
	return rows.map((r) => r[output] ?? null);
}
