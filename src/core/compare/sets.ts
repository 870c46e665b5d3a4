/** What differs between two versions of everything that decides values, in terms of rules and in words. */
import type { JsonValue } from '../document/json';
import type { Definition, Field, Model, ReferenceTable, TableColumn } from '../document/model';
import { Schema } from '../document/model';
import { compilePlan } from '../plan/plan';
import { runTrial, type Trial, type TrialResult } from '../trials/trials';
import type { ZoneClock } from '../value/temporal';
import type { RuleSet } from '../document/rules';
import { sayCondition, type SayValue } from '../conditions/words';
import { readFormula } from '../feel/read-formula';
import { canonicalJson } from '../document/canonical';

import { changedRules } from './rules';
import { differences, type Difference } from './words';

/** A version: the draft, a release, or one from a file. */
export interface Version {
	model: Model;
	set: RuleSet;
}

/** One thing that two versions have otherwise. */
export interface Compared {
	part: 'rule' | 'definition' | 'table' | 'order' | 'model';
	what: 'new' | 'changed' | 'removed' | 'order';
	/** Of the rule, definition or table; of an order its field (`type.field`). */
	id: string;
	name: string;
	/** What it says otherwise, part by part; of what is new or gone, all of it. */
	differences: Difference[];
}

/** Most rows of a table that are told one by one. */
const MOST_ROWS = 200;

/** Everything that differs, rules first, in the order of the later version. */
export function compareVersions(
	before: Version,
	after: Version,
	sayAs: (schema: Schema) => SayValue
): Compared[] {
	const schemas = [before, after].map(
		({ model, set }) => new Schema(model, { definitions: set.definitions, tables: set.tables })
	);
	const [was, now] = schemas;
	const [sayWas, sayNow] = schemas.map(sayAs);
	const byId = <T extends { id: string }>(xs: readonly T[] = []) =>
		new Map(xs.map((x) => [x.id, x]));
	const rules = [byId(before.set.rules), byId(after.set.rules)];
	const definitions = [byId(before.set.definitions), byId(after.set.definitions)];
	const tables = [byId(before.set.tables), byId(after.set.tables)];
	const changes = changedRules(before.set, after.set).map(({ id, part, what, name }): Compared => {
		const gone = what === 'removed';
		const [schema, say] = gone ? [was, sayWas] : [now, sayNow];
		switch (part) {
			case 'rule':
				return {
					part,
					what,
					id,
					name,
					differences: differences(rules[0].get(id) ?? null, rules[1].get(id) ?? null, schema, say)
				};
			case 'definition':
			case 'table': {
				const said = part === 'table' ? saidTable : saidDefinition;
				const [had, has] = part === 'table' ? tables : definitions;
				const told = partsBetween(
					said(had.get(id) as never, was, sayWas),
					said(has.get(id) as never, now, sayNow)
				);
				return { part, what, id, name, differences: told };
			}
			default: {
				const [type, field] = id.split('.');
				const label = now.field(type, field)?.label ?? field;
				const of = now.types.get(type)?.type.label ?? type;
				const told = (set: RuleSet) =>
					(set.order[id] ?? [])
						.map((c) => set.rules.find((r) => c.startsWith(`${r.id}:`))?.name ?? c)
						.join(', then ');
				return {
					part: 'order',
					what,
					id,
					name: `Order of the rules for ${label} of ${of}`,
					differences: [
						{
							label: 'First to last',
							before: told(before.set) || null,
							after: told(after.set) || null
						}
					]
				};
			}
		}
	});
	return [...changes, ...modelsBetween(before.model, after.model)];
}

/** What something says, part by part. */
type Said = { key: string; label: string; text: string }[];

/** The parts that differ; of what is not there, nothing is said. */
function partsBetween(before: Said, after: Said): Difference[] {
	const had = new Map(before.map((p) => [p.key, p]));
	const has = new Set(after.map((p) => p.key));
	return [
		...after.flatMap((p) => {
			const old = had.get(p.key);
			if (old?.text === p.text) return [];
			return [{ label: p.label, before: old?.text ?? null, after: p.text }];
		}),
		...before
			.filter((p) => !has.has(p.key))
			.map((p) => ({ label: p.label, before: p.text, after: null }))
	];
}

function saidDefinition(d: Definition | undefined, schema: Schema, say: SayValue): Said {
	if (!d) return [];
	const read = d.type ? readFormula(d.body, { schema, type: d.type }) : null;
	const params = new Map(d.params.map((p) => [p.name, p]));
	const text =
		'text' in d.body
			? d.body.text
			: (read?.compiled && sayCondition(read.compiled.expr, schema, say)) ||
				read?.text ||
				canonicalJson(d.body.expr);
	return [
		{ key: 'name', label: 'Name', text: d.name },
		{ key: 'why', label: 'Why', text: d.why || '–' },
		{ key: 'params', label: 'Takes', text: [...params.keys()].join(', ') || 'nothing' },
		{ key: 'body', label: 'Gives', text }
	];
}

const cell = (c: TableColumn, v: JsonValue, say: SayValue) =>
	v === null ? '–' : say(c as unknown as Field, v) || '–';

/** A table with each of its rows, known by the columns that find it. */
function saidTable(t: ReferenceTable | undefined, schema: Schema, say: SayValue): Said {
	if (!t) return [];
	const keys = new Set(t.keys.flatMap((k) => (k.match === 'range' ? [k.from, k.to] : [k.column])));
	const seen = new Map<string, number>();
	const rows = t.rows.map((row) => {
		const said = t.columns.map((c, i) => ({ c, text: cell(c, row[i] ?? null, say) }));
		const key = said.filter((x) => keys.has(x.c.id)).map((x) => x.text);
		const name = key.join(' · ');
		// of two rows with one key the second is known as that
		const n = (seen.get(name) ?? 0) + 1;
		seen.set(name, n);
		return {
			key: `row ${name} ${n}`,
			label: `Row ${name}`,
			text: said
				.filter((x) => !keys.has(x.c.id))
				.map((x) => x.text)
				.join(' · ')
		};
	});
	const columns = t.columns.map((c) => c.label).join(', ');
	return [
		{ key: 'label', label: 'Name', text: t.label },
		{ key: 'columns', label: 'Columns', text: columns },
		{ key: 'missing', label: 'A key without a row', text: t.missing ?? 'nothing' },
		{
			key: 'living',
			label: 'Its rows',
			text: t.living ? 'are edited in force' : 'are released with the rules'
		},
		...rows.slice(0, MOST_ROWS),
		...(rows.length > MOST_ROWS
			? [
					{
						key: 'more rows',
						label: `${rows.length - MOST_ROWS} more rows`,
						text: canonicalJson(t.rows.slice(MOST_ROWS))
					}
				]
			: [])
	];
}

/** Record types, fields, option lists and options that are new, gone or otherwise. */
function modelsBetween(before: Model, after: Model): Compared[] {
	const said = (m: Model): Map<string, { name: string; text: string }> => {
		const out = new Map<string, { name: string; text: string }>();
		for (const t of m.types) {
			const { fields, ...rest } = t;
			out.set(`types ${t.id}`, { name: t.label, text: canonicalJson(rest) });
			for (const f of fields)
				out.set(`types ${t.id} ${f.id}`, {
					name: `${f.label} of ${t.label}`,
					text: canonicalJson(f)
				});
		}
		for (const l of m.lists) {
			out.set(`lists ${l.id}`, { name: `the options ${l.label}`, text: l.label });
			l.options.forEach((o, i) =>
				out.set(`lists ${l.id} ${o.id}`, {
					name: `“${o.label}” of ${l.label}`,
					text: canonicalJson({ ...o, place: i })
				})
			);
		}
		return out;
	};
	const [a, b] = [said(before), said(after)];
	const out: Compared[] = [];
	for (const [id, { name, text }] of b) {
		const old = a.get(id);
		if (old?.text === text) continue;
		const what = old ? 'changed' : 'new';
		const told = old && old.name !== name ? [{ label: 'Name', before: old.name, after: name }] : [];
		out.push({ part: 'model', what, id, name, differences: told });
	}
	for (const [id, { name }] of a)
		if (!b.has(id)) out.push({ part: 'model', what: 'removed', id, name, differences: [] });
	return out;
}

/** Whether a trial came out alike twice: the same values and the same said, or the same fault. */
export function cameAlike(a: TrialResult, b: TrialResult): boolean {
	const came = ({ fault, lines }: TrialResult) =>
		canonicalJson([fault ?? null, ...lines.map((l) => [l.got, l.said ?? null])]);
	return came(a) === came(b);
}

/** Trials that come out otherwise in two versions, with what each gives. */
export function trialsApart(
	before: Version,
	after: Version,
	trials: readonly Trial[],
	zones: ZoneClock
): { trial: Trial; before: TrialResult; after: TrialResult }[] {
	const [a, b] = [before, after].map(({ model, set }) => compilePlan(new Schema(model), set));
	return trials.flatMap((trial) => {
		const [was, now] = [runTrial(a, trial, zones), runTrial(b, trial, zones)];
		return cameAlike(was, now) ? [] : [{ trial, before: was, after: now }];
	});
}

/** Most signs of a note that is proposed. */
const LONGEST_NOTE = 300;

/** One line on what differs, as the note of a release. */
export function noteOf(all: readonly Compared[]): string {
	const one = (c: Compared): string => {
		if (c.what === 'new') return `${c.name} (new)`;
		if (c.what === 'removed') return `${c.name} (taken out)`;
		const told = c.differences.filter((d) => d.label !== 'Why');
		const [first] = told;
		if (!first) return c.name;
		const more = told.length > 1 ? ` and ${told.length - 1} more` : '';
		return `${c.name}: ${first.label} ${first.before ?? 'nothing'} → ${first.after ?? 'nothing'}${more}`;
	};
	const text = all.map(one).join('; ');
	return text.length > LONGEST_NOTE ? `${text.slice(0, LONGEST_NOTE - 1)}…` : text;
}
