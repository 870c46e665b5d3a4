/**
 * The command line over the core: no server, no database. Pure: takes arguments and texts of files,
 * gives what to print and the exit code.
 */
import type { Plan, ReferenceTable, RuleSet, Trial, TrialResult, Value } from '../core';
import {
	LocalDate,
	Moment,
	Num,
	Schema,
	analyse,
	compareVersions,
	cover,
	differences,
	stopsRelease,
	strengthOf,
	compilePlan,
	isContext,
	isList,
	nearLoader,
	parseNum,
	plainWords,
	reason,
	ruleOf,
	runTrial,
	withRows,
	withoutRows,
	sayCame,
	sayExpectation,
	sayGot,
	settle,
	show,
	submissionOf,
	toJson,
	trialsApart
} from '../core';
import {
	EVALUATION_STEPS,
	FormulaError,
	LimitError,
	compileExpression,
	parseExpression
} from '../core/feel/language';
import { zones } from '../runtime/zones';
import { junitOf, sarifOf } from './reports';
import { BadInput, checkChange, checkTrial, checkVersionFile, parseJson } from '../door';
import { checkRowsFile, type RowsFile } from '../door/living';

export interface Output {
	text: string;
	/** 0 fine; 1 the rules say no (a blocking message, finding or failing trial); 2 the input is wrong. */
	code: 0 | 1 | 2;
}

const USAGE = `rigid-rule evaluates formulas and rule sets without a server.

  eval FORMULA [CONTEXT.json]      the value of a FEEL formula, as JSON
  settle RULES.json CHANGE.json    what becomes of a change; with --explain, why
  check RULES.json                 what can be proven wrong; exit code 1 when it blocks;
                                   with --sarif, as SARIF 2.1.0
  try RULES.json [TRIALS.json]     runs trials; exit code 1 when one fails;
                                   with --junit, as JUnit XML
  compare RULES.json LATER.json [TRIALS.json]
                                   what two rule sets have otherwise, in terms of rules,
                                   and which trials come out otherwise
  cover RULES.json [TRIALS.json]   what trials try of the rules, and what nobody tried
  strength RULES.json [TRIALS.json]
                                   the small mistakes in the rules that trials notice
                                   with --least=80: exit code 1 below 80 in a hundred

RULES.json is a bundle or a release as the application exports it. A bundle has trials and the
rows of living tables in it. With a release, TRIALS.json is needed, and --rows=ROWS.json gives
those rows, once for each table. The formats are in docs/schema.`;

/** The most that a file may hold: a release with large tables. */
const MOST_CHARACTERS = 60_000_000;

const FLAGS = ['--explain', '--sarif', '--junit'];

class Wrong extends Error {}

/** @param read gives the text of a file; throws when there is none */
export function runCli(args: readonly string[], read: (path: string) => string): Output {
	const flags = args.filter((a) => a.startsWith('--'));
	const [verb, ...rest] = args.filter((a) => !a.startsWith('--'));
	const least = flags.find((f) => f.startsWith('--least='));
	const rowsOf = flags.filter((f) => f.startsWith('--rows='));
	const odd = flags.find((f) => !FLAGS.includes(f) && f !== least && !rowsOf.includes(f));
	const rules = (path: string | undefined) => loaded(read, path, rowsOf);
	try {
		if (odd)
			throw new Wrong(
				`“${odd}” is not known; there are ${FLAGS.join(', ')}, --rows=ROWS.json and --least=80.`
			);
		switch (verb) {
			case 'eval':
				return evaluate(need(rest[0], 'a formula'), rest[1] ? json(read, rest[1]) : {});
			case 'settle':
				return settleChange(
					rules(rest[0]),
					need(rest[1], 'a file with the change'),
					json(read, rest[1]),
					flags.includes('--explain')
				);
			case 'check':
				return check(rules(rest[0]), flags.includes('--sarif') ? rest[0] : null);
			case 'try':
				return tryAll(
					...withTrials(read, rules(rest[0]), rest),
					flags.includes('--junit') ? need(rest[1] ?? rest[0], 'a file') : null
				);
			case 'compare':
				return compareBoth(
					rules(rest[0]),
					rules(need(rest[1], 'a second file with rules')),
					rest[2] ? { file: rest[2], doc: json(read, rest[2]) } : null
				);
			case 'cover':
			case 'strength':
				return (verb === 'cover' ? coverAll : strengthOfAll)(
					...withTrials(read, rules(rest[0]), rest),
					share(least)
				);
			default:
				return { text: USAGE, code: verb === undefined || verb === 'help' ? 0 : 2 };
		}
	} catch (e) {
		if (e instanceof Wrong) return { text: e.message, code: 2 };
		if (e instanceof FormulaError) {
			const { message, from } = e.fault;
			return { text: `At character ${from + 1}: ${message}`, code: 2 };
		}
		if (e instanceof LimitError) return { text: e.message, code: 2 };
		throw e;
	}
}

function need(x: string | undefined, what: string): string {
	if (x === undefined) throw new Wrong(`Give ${what}.\n\n${USAGE}`);
	return x;
}

function json(read: (path: string) => string, path: string): unknown {
	let text: string;
	try {
		text = read(path);
	} catch {
		throw new Wrong(`The file ${path} cannot be read.`);
	}
	return sound(path, () => parseJson(text, 'The file', MOST_CHARACTERS));
}

interface Loaded {
	plan: Plan;
	set: RuleSet;
	/** Of a bundle; null where a file with rules has none. */
	trials: readonly Trial[] | null;
}

/** Runs a check of the door; what it says names the file. */
function sound<T>(file: string, work: () => T): T {
	try {
		return work();
	} catch (e) {
		if (e instanceof BadInput) throw new Wrong(`${file}: ${e.message}`);
		throw e;
	}
}

/** @param rowsOf files with the rows of living tables, each as `--rows=FILE` */
function loaded(
	read: (path: string) => string,
	path: string | undefined,
	rowsOf: readonly string[]
): Loaded {
	const file = need(path, 'a file with rules');
	const { model, set: stored, trials } = sound(file, () => checkVersionFile(json(read, file)));
	const rows: Record<string, RowsFile['rows']> = {};
	for (const flag of rowsOf) {
		const from = flag.slice('--rows='.length);
		const { table, rows: some } = sound(from, () => checkRowsFile(json(read, from)));
		if (!stored.tables?.find((t) => t.id === table)?.living)
			throw new Wrong(`${from}: ${file} has no living table “${table}”.`);
		rows[table] = some;
	}
	// rows that are given take the place of those that a bundle has
	const given = (t: ReferenceTable) => (Object.hasOwn(rows, t.id) ? withoutRows(t) : t);
	const tables = stored.tables && { tables: stored.tables.map(given) };
	const set = withRows({ ...stored, ...tables }, rows);
	return { plan: compilePlan(new Schema(model), set), set, trials };
}

/** The rules with the trials of a file, or, where none is named, with those that came with them. @throws {Wrong} */
function withTrials(
	read: (path: string) => string,
	rules: Loaded,
	[file, trials]: readonly string[]
): [Loaded, Trial[]] {
	if (trials === undefined && rules.trials)
		return [rules, trialsIn(rules.plan, file, rules.trials)];
	const from = need(trials, 'a file with trials, or a bundle, which has some');
	return [rules, trialsIn(rules.plan, from, json(read, from))];
}

const print = (v: unknown, code: Output['code'] = 0): Output => ({
	text: JSON.stringify(v, null, 2),
	code
});

// ---- eval -----------------------------------------------------------------------------------------

/** JSON as values: objects as contexts, numbers as decimals. */
function fromPlain(v: unknown): Value {
	if (v === null || v === undefined) return null;
	if (typeof v === 'number') return parseNum(String(v));
	if (typeof v === 'string' || typeof v === 'boolean') return v;
	if (Array.isArray(v)) return v.map(fromPlain);
	return new Map(Object.entries(v).map(([k, x]) => [k, fromPlain(x)]));
}

/** Values as JSON: numbers that a double holds exactly as numbers, others as text. */
function toPlain(v: Value): unknown {
	if (v instanceof Num) return String(v.toDouble()) === v.toString() ? v.toDouble() : v.toString();
	if (v === null || typeof v === 'boolean' || typeof v === 'string') return v;
	if (isList(v)) return v.map(toPlain);
	if (isContext(v)) return Object.fromEntries([...v].map(([k, x]) => [k, toPlain(x)]));
	return show(v);
}

function evaluate(text: string, context: unknown): Output {
	if (typeof context !== 'object' || context === null || Array.isArray(context))
		throw new Wrong('The context must be an object: name to value.');
	const names = Object.keys(context);
	const schema = new Schema({ types: [], lists: [], zone: 'UTC' });
	const expr = parseExpression(text, { schema, type: null, variables: names });
	const c = compileExpression(expr, {
		schema,
		type: null,
		variables: names.map((name) => ({ name, ty: { t: 'any' } }))
	});
	if (c.faults.length) throw new FormulaError(c.faults[0]);
	const now = Moment.fromInstant(Date.now(), 'UTC', zones)!;
	const value = c.run({
		rec: null,
		input: null,
		vars: Object.values(context).map(fromPlain),
		now,
		today: LocalDate.fromEpochDay(now.date.epochDay)!,
		person: null,
		entryPoint: 'api',
		zone: 'UTC',
		zones,
		record: () => null,
		related: () => [],
		matching: () => [],
		steps: EVALUATION_STEPS,
		depth: 0
	});
	return print(toPlain(value));
}

// ---- settle, check, try ---------------------------------------------------------------------------

function settleChange({ plan }: Loaded, file: string, doc: unknown, explain: boolean): Output {
	const change = sound(file, () => checkChange(doc));
	const known = (type: string, place: string) => {
		if (!plan.schema.types.has(type))
			throw new Wrong(
				`${file}: ${place}: there is no record type “${type}”; there are ${[...plan.schema.types.keys()].join(', ')}.`
			);
	};
	known(change.type, 'type');
	change.near?.forEach((r, i) => known(r.type, `near[${i}].type`));
	const instant = change.at === undefined ? Date.now() : Date.parse(change.at);
	if (!Moment.fromInstant(instant, 'UTC', zones))
		throw new Wrong(`${file}: at: “${change.at ?? ''}” is no moment, as 2026-11-23T09:00:00Z is.`);
	let record;
	let loader;
	try {
		loader = nearLoader(plan.schema, change.near);
		record = submissionOf(plan.schema, {
			type: change.type,
			was: change.was ?? null,
			sent: Object.entries(change.sent)
		});
	} catch (e) {
		throw new Wrong(`${file}: ${(e as Error).message}`);
	}
	const keep = new Set(change.keep ?? []);
	const done = settle(
		plan,
		{
			records: [{ ...record, keep, inLine: false }],
			entryPoint: change.entryPoint ?? 'api',
			instant,
			person: change.person ?? null,
			onRequest: change.onRequest
		},
		loader,
		{ zones, explain: true, alone: true }
	).records[0];
	const name = (claim: string) => ruleOf(plan, claim)?.name ?? claim;
	const { fields } = plan.schema.type(change.type).type;
	const out = {
		values: Object.fromEntries(fields.map((f, i) => [f.id, toJson(done.values[i])])),
		changes: done.changes.map((c) => ({
			field: c.field,
			from: toJson(c.from),
			to: toJson(c.to),
			rule: c.claim && name(c.claim)
		})),
		setAside: done.setAside.map((a) => ({
			field: a.field,
			sent: toJson(a.sent),
			stands: toJson(a.stands),
			rule: name(a.claim),
			why: a.why
		})),
		messages: done.messages.map((m) => ({
			field: m.field,
			text: m.text,
			blocking: m.blocking,
			rule: name(m.claim)
		})),
		failures: done.failures.map((f) => ({
			field: f.field,
			message: f.message,
			rule: name(f.claim)
		})),
		...(plan.problems.length ? { problems: plan.problems } : {}),
		...(explain
			? {
					explanation: done.reports.map((r) => ({
						rule: name(r.claim),
						field: r.field,
						outcome: r.outcome,
						because: reason(plan, r)
					}))
				}
			: {})
	};
	return print(out, done.messages.some((m) => m.blocking) ? 1 : 0);
}

/** @param sarif the name of the file, where the findings are wanted as SARIF */
function check({ plan, set }: Loaded, sarif: string | null): Output {
	const { findings, open } = analyse(plan, set, zones);
	const blocks = findings.some(stopsRelease);
	const names = new Map(set.rules.map((r) => [r.id, r.name]));
	if (sarif !== null)
		return print(sarifOf(sarif, { findings, open, schema: plan.schema, names }), blocks ? 1 : 0);
	return print({ findings, notAnalysed: open }, blocks ? 1 : 0);
}

/** The least share in a hundred that is asked for; 0 where none is. @throws {Wrong} */
function share(least: string | undefined): number {
	if (least === undefined) return 0;
	const n = Number(least.slice('--least='.length));
	if (!(n >= 0 && n <= 100)) throw new Wrong(`“${least}”: the share is a number from 0 to 100.`);
	return n;
}

/** The trials of a file. @throws {Wrong} naming the place */
function trialsIn(plan: Plan, file: string, doc: unknown): Trial[] {
	if (!Array.isArray(doc)) throw new Wrong(`${file}: The trials must be a list.`);
	return doc.map((t: unknown, i): Trial =>
		sound(`${file}: [${i}]`, () => {
			const trial = checkTrial(t);
			if (!plan.schema.types.has(trial.type))
				throw new BadInput(`type: there is no record type “${trial.type}”.`);
			return trial;
		})
	);
}

function coverAll({ plan, set }: Loaded, trials: Trial[], least: number): Output {
	const { say } = plainWords(plan.schema, set.rules);
	const rules = cover(plan, set, trials, zones, say);
	const points = rules.flatMap((r) => r.points);
	const tried = points.filter((p) => p.trials.length).length;
	const out = {
		tried,
		of: points.length,
		rules: rules.map((r) => ({
			rule: set.rules.find((x) => x.id === r.rule)!.name,
			tried: r.points.filter((p) => p.trials.length).length,
			of: r.points.length,
			untried: r.points.filter((p) => !p.trials.length).map((p) => p.label)
		}))
	};
	return print(out, tried * 100 < least * points.length ? 1 : 0);
}

function strengthOfAll({ plan, set }: Loaded, all: Trial[], least: number): Output {
	const trials = all.filter((t) => runTrial(plan, t, zones).held);
	const { say } = plainWords(plan.schema, set.rules);
	const rules = set.rules.map((rule) => {
		const notices = [...strengthOf(plan, set, rule, trials, zones)];
		return {
			rule: rule.name,
			noticed: notices.filter((n) => n.by).length,
			of: notices.length,
			missed: notices
				.filter((n) => !n.by)
				.map((n) => ({
					mistake: n.slip,
					...(n.altered && !n.altered.off
						? { differs: differences(rule, n.altered, plan.schema, say) }
						: {}),
					...(n.would ? { wouldNotice: n.would } : { tried: n.tried })
				}))
		};
	});
	const noticed = rules.reduce((n, r) => n + r.noticed, 0);
	const of = rules.reduce((n, r) => n + r.of, 0);
	const out = { noticed, of, rules: rules.filter((r) => r.of) };
	return print(out, noticed * 100 < least * of ? 1 : 0);
}

/** What two rule sets have otherwise; exit code 0 whatever that is, since to differ is no fault. */
function compareBoth(
	before: Loaded,
	after: Loaded,
	trials: { file: string; doc: unknown } | null
): Output {
	const version = ({ plan, set }: Loaded) => ({ model: plan.schema.model, set });
	const [a, b] = [before, after].map(version);
	const out = compareVersions(a, b, (schema) => plainWords(schema, after.set.rules).say);
	if (!trials && !after.trials) return print({ differences: out }, 0);
	const all = trials ? trialsIn(after.plan, trials.file, trials.doc) : [...after.trials!];
	const words = plainWords(after.plan.schema, after.set.rules);
	const came = (t: Trial, r: TrialResult) =>
		r.fault ?? r.lines.map((l) => sayCame(t.type, l, words)).join('; ');
	return print(
		{
			differences: out,
			trials: trialsApart(a, b, all, zones).map((x) => ({
				trial: x.trial.name,
				before: came(x.trial, x.before),
				after: came(x.trial, x.after)
			}))
		},
		0
	);
}

/** @param junit the name of the file that they are from, where their outcome is wanted as JUnit XML */
function tryAll({ plan, set }: Loaded, trials: Trial[], junit: string | null): Output {
	const words = plainWords(plan.schema, set.rules);
	const results = trials.map((t) => {
		const r = runTrial(plan, t, zones);
		const lines = r.lines
			.filter((l) => !l.held)
			.map((l) => ({
				...(t.then ? { change: l.step + 1 } : {}),
				...(l.row === undefined ? {} : { row: l.row + 1 }),
				expected: sayExpectation(t.type, l.expected, words),
				got: sayGot(t.type, l, words),
				because: l.reports.map((x) => `${ruleOf(plan, x.claim)?.name}: ${reason(plan, x)}`)
			}));
		return {
			trial: t.name,
			...(t.group ? { group: t.group } : {}),
			held: r.held,
			...(r.fault ? { fault: r.fault } : {}),
			...(lines.length ? { lines } : {})
		};
	});
	const held = results.filter((r) => r.held).length;
	if (junit !== null)
		return { text: junitOf(junit, results), code: held === results.length ? 0 : 1 };
	return print(
		{ held, of: results.length, failing: results.filter((r) => !r.held) },
		held === results.length ? 0 : 1
	);
}
