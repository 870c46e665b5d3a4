/**
 * Trials: a sample record, one or several changes to it, and what must come of each: values, what is
 * left alone, a refusal with its message, what fields are, messages that leave, values of other records.
 */
import type { JsonValue } from '../fields/codec';
import { fromJson, toJson } from '../fields/codec';
import type { Schema } from '../document/model';
import type { EntryPoint, FieldState } from '../document/rules';
import type { Plan } from '../plan/plan';
import type { Change, ClaimReport, SettledRecord, SubmittedRecord } from '../settle/settle';
import { settle } from '../settle/settle';
import type { ZoneClock } from '../value/temporal';
import { Moment } from '../value/temporal';
import { same } from '../value/value';
import { TrialFinds, type KeptFind } from './finds';
import { NOTHING_ELSE, recordsLoader, submissionOf, valuesFromJson } from './records';

/** What must come of a change. Each kind is known by what it names. */
export type Expectation =
	/** What a field comes to, of the sample or of a record linked to it. */
	| {
			field: string;
			value: JsonValue;
			/** The field must not have this value. */
			not?: boolean;
			/** The other record that the field is of. */
			at?: { type: string; id: string };
	  }
	/** The field keeps the value that it had before the change. */
	| { field: string; stays: true }
	/** Whether a rule writes any field of the sample. */
	| { rule: string; writes: boolean }
	/** Whether the change is refused; at a field, and with words that stand in its message. */
	| { refused: boolean; field?: string; text?: string }
	/** Whether something is advised at a field. */
	| { field: string; advised: boolean; text?: string }
	/** Whether a field is required, hidden or set by rules only, now. */
	| { field: string; state: Exclude<FieldState, 'limited'>; is: boolean }
	/** Whether an option can be chosen in a field now. */
	| { field: string; option: string; offered: boolean }
	/** How many messages leave; to an address, or with words that stand in their subject. */
	| { messages: number; to?: string; subject?: string };

/** One change of a sample, and what must come of it. */
export interface TrialStep {
	/** What is sent, in the order touched. */
	sent: [field: string, value: JsonValue][];
	entryPoint: EntryPoint;
	/** The instant of the change, ISO 8601. */
	at: string;
	/** Record of the person who makes the change. */
	person?: string | null;
	expect: Expectation[];
}

/** The last change of a trial once more, with other values and what must come of those. */
export interface TrialRow {
	/** Take the place of what the change sends to these fields. */
	sent: [field: string, value: JsonValue][];
	/** Besides what the change itself expects. */
	expect: Expectation[];
}

/** A trial is its first change; those that follow it are in `then`. */
export interface Trial extends TrialStep {
	id: string;
	name: string;
	/** Under which it is listed. */
	group?: string;
	type: string;
	/** Stored values of the sample, by field; null for a new record. */
	was: Record<string, JsonValue> | null;
	/** Number of the stored record that the sample is, where linked records point to it. */
	record?: string;
	/** What rules had added to the sets of the stored sample, by claim. */
	added?: Record<string, string[]>;
	/** Linked records that are at hand, with their stored values. */
	near?: { type: string; id: string; values: Record<string, JsonValue> }[];
	/** Changes made afterwards, each of what the one before it left; one that is refused leaves nothing. */
	then?: TrialStep[];
	/** Where there are any, the last change is made once for each of them. */
	rows?: TrialRow[];
	/** What it found in living tables when it was kept. */
	finds?: KeptFind[];
}

/** How one expectation turned out. */
export interface TrialLine {
	expected: Expectation;
	/** What it came to: a value, or whether it is so; a number of messages. */
	got: JsonValue | number;
	held: boolean;
	/** The change (from 0) and, where there are rows, the row (from 0). */
	step: number;
	row?: number;
	/** What was said, where it is about a refusal or an advice. */
	said?: string[];
	/** The claims that it is about, for saying why. */
	reports: ClaimReport[];
}

export interface TrialResult {
	trial: string;
	held: boolean;
	lines: TrialLine[];
	/** Living tables (identities) whose rows are others today than those that it keeps and ran on. */
	otherwise?: string[];
	/** Why the trial could not be run at all. */
	fault?: string;
}

/** One change of a trial as it was settled. */
export interface StepRun {
	step: number;
	row?: number;
	change: Change;
	/** The sample first, then the records that the change ran on to. */
	records: SettledRecord[];
	expect: readonly Expectation[];
}

/** Runs the changes of a trial. @throws {Error} naming what does not fit */
export function runSteps(
	plan: Plan,
	trial: Trial,
	zones: ZoneClock,
	finds = new TrialFinds(plan.schema, trial.finds)
): StepRun[] {
	const { schema } = plan;
	const steps: TrialStep[] = [trial, ...(trial.then ?? [])];
	const rows: (TrialRow | null)[] = trial.rows?.length ? trial.rows : [null];
	const out: StepRun[] = [];
	let record = submissionOf(schema, trial);
	let near = (trial.near ?? []).map((r) => ({
		...r,
		values: valuesFromJson(schema, r.type, r.values)
	}));
	const expected = [...steps, ...rows].flatMap((s) => s?.expect ?? []);
	const elsewhere = expected.some((e) => 'at' in e && e.at);
	const states = expected.some((e) => 'state' in e || 'option' in e);
	const run = (step: TrialStep, more: TrialRow | null, was: SubmittedRecord) => {
		const at = Date.parse(step.at);
		if (Number.isNaN(at)) throw new Error(`“${step.at}” is no moment.`);
		const sent = new Map([...sentOf(schema, trial.type, step.sent)]);
		// what a row sends was touched last
		for (const [id, v] of more ? sentOf(schema, trial.type, more.sent) : []) {
			sent.delete(id);
			sent.set(id, v);
		}
		const change: Change = {
			records: [{ ...was, sent }],
			entryPoint: step.entryPoint,
			instant: at,
			person: step.person ?? null
		};
		const loader = trial.near ? recordsLoader(schema, near) : NOTHING_ELSE;
		const options = { explain: true, states, alone: !elsewhere, zones, findRows: finds.find };
		return { change, records: settle(plan, change, loader, options).records };
	};
	steps.forEach((step, i) => {
		const last = i === steps.length - 1;
		const all = last ? rows : [null];
		all.forEach((more, k) => {
			const done = run(step, more, record);
			const expect = more ? [...step.expect, ...more.expect] : step.expect;
			out.push({ step: i, ...(more ? { row: k } : {}), ...done, expect });
		});
		if (last) return;
		const [own, ...others] = out.at(-1)!.records;
		if (own.messages.some((m) => m.blocking)) return;
		const added = new Map([...(record.added ?? []), ...own.added]);
		record = { ...record, created: false, was: own.values, ...(added.size ? { added } : {}) };
		near = near.map((r) => {
			const now = others.find((o) => o.type === r.type && o.id === r.id);
			return now ? { ...r, values: [...now.values] } : r;
		});
	});
	return out;
}

function sentOf(schema: Schema, type: string, sent: readonly [string, JsonValue][]) {
	return submissionOf(schema, { type, was: null, sent: [...sent] }).sent;
}

/** Runs a trial on a plan. Never throws; a trial that cannot run says why. */
export function runTrial(plan: Plan, trial: Trial, zones: ZoneClock): TrialResult {
	const lines: TrialLine[] = [];
	const finds = new TrialFinds(plan.schema, trial.finds);
	try {
		for (const run of runSteps(plan, trial, zones, finds))
			for (const x of run.expect) {
				const line = turnedOut(plan, run, x, zones);
				const row = run.row === undefined ? {} : { row: run.row };
				lines.push({ expected: x, step: run.step, ...row, ...line });
			}
	} catch (e) {
		return { trial: trial.id, held: false, lines, fault: (e as Error).message };
	}
	return {
		trial: trial.id,
		held: lines.length > 0 && lines.every((l) => l.held),
		lines,
		...(finds.otherwise.size ? { otherwise: [...finds.otherwise] } : {})
	};
}

/**
 * A trial with the rows of living tables that it reads: those that it keeps, and today's for what is not kept yet.
 * A trial that cannot run stays as it is.
 */
export function keepingRows(plan: Plan, trial: Trial, zones: ZoneClock): Trial {
	const finds = new TrialFinds(plan.schema, trial.finds);
	try {
		runSteps(plan, trial, zones, finds);
	} catch {
		return trial;
	}
	const { finds: _, ...rest } = trial;
	return finds.asked.length ? { ...rest, finds: finds.asked } : rest;
}

/** What became of one expectation. @throws {Error} when it speaks of what is not there */
function turnedOut(
	plan: Plan,
	{ records }: StepRun,
	x: Expectation,
	zones: ZoneClock
): Pick<TrialLine, 'got' | 'held' | 'said' | 'reports'> {
	const [own] = records;
	const about = (field: string | undefined) => own.reports.filter((r) => r.field === field);
	const includes = (text: string, part: string | undefined) => !part || text.includes(part);
	if ('value' in x) {
		const rec = x.at ? records.find((r) => r.type === x.at!.type && r.id === x.at!.id) : own;
		const type = x.at?.type ?? own.type;
		const field = fieldOf(plan, type, x.field);
		if (!rec) throw new Error(`The change did not run on to ${type} ${x.at!.id}.`);
		const want = fromJson(field, x.value, plan.schema);
		if (!want.ok) throw new Error(want.message);
		const got = rec.values[plan.schema.type(type).at.get(x.field)!];
		const { zone } = plan.schema.model;
		const wanted = want.value instanceof Moment ? want.value.in(zone, zones) : want.value;
		const equal = same(got, wanted);
		return {
			got: toJson(got),
			held: x.not ? !equal : equal,
			reports: rec.reports.filter((r) => r.field === x.field)
		};
	}
	if ('stays' in x) {
		fieldOf(plan, own.type, x.field);
		const i = plan.schema.type(own.type).at.get(x.field)!;
		const got = own.values[i];
		return {
			got: toJson(got),
			held: same(got, own.was[i]),
			reports: about(x.field)
		};
	}
	if ('rule' in x) {
		const mine = own.reports.filter((r) => r.rule === x.rule);
		if (!mine.length) throw new Error(`There is no rule “${x.rule}” in force for this record.`);
		const wrote = own.changes.some(
			(c) => c.claim !== null && mine.some((r) => r.claim === c.claim)
		);
		return { got: wrote, held: wrote === x.writes, reports: mine };
	}
	if ('refused' in x) {
		if (x.field !== undefined) fieldOf(plan, own.type, x.field);
		const blocking = own.messages.filter((m) => m.blocking);
		const meant = blocking.filter(
			(m) => (x.field === undefined || m.field === x.field) && includes(m.text, x.text)
		);
		return {
			got: blocking.length > 0,
			held: meant.length > 0 === x.refused,
			said: blocking.map((m) => m.text),
			reports: own.reports.filter((r) => blocking.some((m) => m.claim === r.claim))
		};
	}
	if ('advised' in x) {
		fieldOf(plan, own.type, x.field);
		const said = own.messages.filter((m) => !m.blocking && m.field === x.field);
		const meant = said.some((m) => includes(m.text, x.text));
		return {
			got: said.length > 0,
			held: meant === x.advised,
			said: said.map((m) => m.text),
			reports: about(x.field)
		};
	}
	if ('state' in x) {
		fieldOf(plan, own.type, x.field);
		const so = {
			required: own.required.has(x.field),
			hidden: own.hidden.has(x.field),
			'read-only': own.readOnly.has(x.field)
		}[x.state];
		return { got: so, held: so === x.is, reports: about(x.field) };
	}
	if ('option' in x) {
		const field = fieldOf(plan, own.type, x.field);
		if (!field.list || !plan.schema.option(field.list, x.option))
			throw new Error(`${field.label} has no option “${x.option}”.`);
		const offered = own.limited.get(x.field)?.includes(x.option) ?? true;
		return { got: offered, held: offered === x.offered, reports: about(x.field) };
	}
	// of a change that is refused nothing leaves
	const leave = own.messages.some((m) => m.blocking) ? [] : own.sends;
	const meant = leave.filter((m) => (!x.to || m.to === x.to) && includes(m.subject, x.subject));
	return {
		got: meant.length,
		held: meant.length === x.messages,
		said: leave.map((m) => `${m.subject} to ${m.to}`),
		reports: own.reports.filter((r) => r.sending !== undefined)
	};
}

function fieldOf(plan: Plan, type: string, id: string) {
	const field = plan.schema.field(type, id);
	if (!field)
		throw new Error(`${plan.schema.types.get(type)?.type.label ?? type} has no field “${id}”.`);
	return field;
}
