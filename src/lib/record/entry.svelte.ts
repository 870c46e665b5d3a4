/**
 * What a person does in a record's form: what they touched, what the release in force makes of it at
 * every stroke, and what came of saving. It shows nothing; the form does.
 */
import type { Format, JsonValue, Need } from '$core';
import {
	Schema,
	cameToNothing,
	compileChoice,
	compilePlan,
	joinPlans,
	reason,
	ruleOf,
	rulesOfRecord,
	settle,
	submissionOf,
	toJson,
	withRows
} from '$core';
import type { SetBy } from '$server/db/set-by';
import { zones } from '../../runtime/zones';
import { Refused, ask } from '../work/http';
import type { Touched } from '../work/touch';
import { sameJson, touch } from '../work/touch';
import { NO_RULES, type Workbench } from '../work/workbench.svelte';
import { formatValue } from '../words/format';

/** The record that the form shows, as the page has it. */
export interface Opened {
	type: string;
	/** Null for a new record. */
	id: string | null;
	version: number;
	values: Record<string, JsonValue>;
	setBy: Record<string, SetBy>;
	short: boolean;
	inLine: boolean;
	/** It belongs to the pilot that is on. */
	pilot: boolean;
}

/** Why something cannot be saved, at a field where it has one. */
export interface Fault {
	field: string | null;
	message: string;
}

/** What the server says of a change that was kept. */
interface Kept {
	id: string;
	version: number;
	release: number;
	values: Record<string, JsonValue>;
	changes: { rule: string | null; typed?: JsonValue }[];
	reached: unknown[];
	sent: number;
	pending: number;
	failures: { field: string; rule: string; message: string }[];
}

/** Most other records that a change is followed to while it is only tried. */
const MOST_FURTHER = 200;

const some = (n: number, one: string, many = `${one}s`) => `${n} ${n === 1 ? one : many}`;

export class Entry {
	/** Fields that were touched, in that order. */
	sent = $state.raw<[string, JsonValue][]>([]);
	/** What was typed and cannot be read, by field. */
	#unread = $state.raw<Record<string, string>>({});
	faults = $state.raw<Fault[]>([]);
	saved = $state<string | null>(null);
	/** What the release in force now gives where the one this form ran gave something else. */
	otherwise = $state.raw<{
		release: number;
		living: number;
		differences: { field: string; shown: JsonValue; now: JsonValue }[];
	} | null>(null);
	conflict = $state.raw<{ version: number; values: Record<string, JsonValue> } | null>(null);
	busy = $state(false);
	/** Rules that failed when it was saved last; their fields were left as they were. */
	failed = $state.raw<Kept['failures']>([]);
	/** What a save gave, until the page has it too: whoever types on at once types upon that. */
	#said = $state.raw<{ version: number; values: Record<string, JsonValue> } | null>(null);

	/** @param opened the record as the page has it now */
	constructor(
		private readonly w: Workbench,
		private readonly opened: () => Opened
	) {}

	/** All that is in force, never the draft. */
	readonly #force = $derived.by(() => {
		const schema = new Schema(this.w.model);
		if (!this.w.here) return compilePlan(schema, NO_RULES);
		const beside = compilePlan(schema, this.w.wholeForce);
		const { pilot, living } = this.w;
		if (!pilot) return beside;
		const { joins } = compileChoice(schema, pilot.choice);
		const tried = compilePlan(schema, withRows(pilot.set, living.rows));
		return joinPlans(beside, tried, joins).plan ?? beside;
	});
	/** The pilot decides it: it belongs to it, or does by what is entered. */
	readonly piloted = $derived.by(
		() => !!this.w.pilot && (this.opened().pilot || (this.live && !!this.result?.pilot))
	);
	/** What the form runs on. */
	readonly plan = $derived.by(() => rulesOfRecord(this.#force, { pilot: this.piloted }));
	/** The release that this is. */
	readonly release = $derived.by(() =>
		this.piloted ? this.w.pilot!.release : this.w.force.number
	);
	readonly now = $derived.by(() => {
		const { version, values } = this.opened();
		return this.#said && this.#said.version > version ? this.#said : { version, values };
	});
	/** Null where the page is only rendered, and where what is stored cannot be settled. */
	readonly result = $derived.by(() =>
		this.w.here ? (this.#settle(this.sent)?.records[0] ?? null) : null
	);
	/** The same with the records that it runs on to, for whoever asks. */
	readonly #further = $derived.by(() => (this.live ? this.#settle(this.sent, false) : null));
	/** What it would come to at other records. */
	get elsewhere() {
		return (this.#further?.records.slice(1) ?? []).filter((r) => r.changes.length);
	}
	/** Of how many more it runs on to is not known what becomes of them. */
	get putOff() {
		return this.#further?.deferred.length ?? 0;
	}
	/** Opening an existing record runs nothing: what rules would write shows once something is touched. */
	readonly live = $derived.by(() => this.opened().id === null || this.sent.length > 0);
	readonly problems = $derived(this.faults.filter((x) => x.field === null));
	/** Fields that differ between what was opened and what is stored now. */
	readonly differing = $derived.by(() => {
		const { conflict } = this;
		if (!conflict) return [];
		const { fields } = this.w.schema.type(this.opened().type).type;
		return fields.filter((x) => !sameJson(this.stored(x.id), conflict.values[x.id] ?? null));
	});

	/** @param alone without the records that it runs on to */
	#settle(sent: [string, JsonValue][], alone = true) {
		const { type, id, short, inLine, setBy, pilot } = this.opened();
		try {
			const record = {
				...submissionOf(this.#force.schema, {
					type,
					was: id === null ? null : this.now.values,
					sent,
					...(id === null ? {} : { record: id })
				}),
				inLine: inLine || sent.length === 0,
				pilot,
				// what rules added to its sets is theirs to withdraw again
				added: new Map(Object.values(setBy).flatMap((s) => Object.entries(s.added ?? {})))
			};
			const change = {
				records: [record],
				entryPoint: short ? ('short' as const) : ('full' as const),
				instant: Date.now(),
				person: this.w.account.person,
				account: this.w.account.id
			};
			void this.w.near.version;
			const want = (needs: readonly Need[]) => queueMicrotask(() => this.w.near.want(needs));
			const missing = (need: Need) => want([need]);
			const options = { explain: true, states: true, alone, most: MOST_FURTHER, missing, zones };
			const settled = settle(this.#force, change, this.w.near.loader, options);
			if (settled.needs.length) want(settled.needs);
			return settled;
		} catch {
			// the record holds a value that the model no longer knows
			return null;
		}
	}

	/** Whether something was typed that is stored nowhere yet. */
	get unsaved(): boolean {
		return this.sent.length > 0 || Object.keys(this.#unread).length > 0;
	}

	stored(field: string): JsonValue {
		return this.opened().id === null ? null : (this.now.values[field] ?? null);
	}

	shown(field: string): JsonValue {
		if (!this.live || !this.result) return this.stored(field);
		return toJson(this.result.values[this.w.schema.type(this.opened().type).at.get(field)!]);
	}

	isTouched(field: string): boolean {
		return this.sent.some(([x]) => x === field);
	}

	/** One line where a rule was set off and gave a field nothing: why. */
	nothing(field: string): string | null {
		if (!this.live || !this.result) return null;
		const r = this.#cameToNothing.find((x) => x.field === field);
		return r
			? `nothing by “${ruleOf(this.plan, r.claim)?.name}”: ${reason(this.plan, r, this.#told)}`
			: null;
	}

	/** Why only some options of a field can be chosen, and by which rule; one line for each that limits it. */
	limits(field: string): string[] {
		const { result, plan } = this;
		if (!result?.limited.has(field) || result.hidden.has(field)) return [];
		return result.reports
			.filter((r) => r.field === field && r.outcome === 'in effect')
			.filter((r) => plan.validators.get(r.claim)?.kind === 'limited')
			.map((r) => `${reason(plan, r, this.#told)}, by “${ruleOf(plan, r.claim)?.name}”`);
	}

	readonly #cameToNothing = $derived.by(() =>
		this.result ? cameToNothing(this.plan, this.result) : []
	);

	/** One line for the sales person on why a field is as it is. */
	why(field: string): string | null {
		const { result, plan } = this;
		const c = this.live ? result?.changes.find((x) => x.field === field) : null;
		if (c?.claim) {
			const r = result!.reports.find((x) => x.claim === c.claim);
			return r ? `because ${reason(plan, r, this.#told)}` : null;
		}
		if (c) return null;
		// what was entered may give the value that stands, for another reason than it was set by then
		const again =
			this.live && !this.isTouched(field)
				? result?.reports.find((x) => x.field === field && x.outcome === 'same value')
				: undefined;
		if (again) return `because ${reason(plan, again, this.#told)}`;
		const by = this.opened().setBy[field];
		if (by?.by === 'rule' && !this.isTouched(field)) return `because ${by.because ?? by.rule}`;
		const holder = result?.readOnly.get(field);
		if (holder === undefined) return null;
		const r = result!.reports.find((x) => x.claim === holder);
		const more = r?.outcome === 'cleared' ? `: ${reason(plan, r, this.#told)}` : '';
		return `only “${ruleOf(plan, holder)?.name}” sets it${more}`;
	}

	readonly #told: Format = (ref, v) => {
		const x = this.w.schema.field(ref.type, ref.field);
		if (v === null) return 'blank';
		return x ? formatValue(x, toJson(v), this.w.schema, this.w.titles.all) : String(v);
	};

	/** A value was entered. @param title of the record that a link was set to */
	touch(field: string, v: JsonValue, title?: string) {
		this.saved = null;
		const { type } = this.opened();
		const target = this.w.schema.field(type, field)?.target;
		if (title && typeof v === 'string') this.w.titles.learn({ [`${target}.${v}`]: title });
		this.faults = this.faults.filter((x) => x.field !== field);
		const gives = (sent: Touched) => {
			const rec = this.#settle([...sent])?.records[0];
			return rec ? toJson(rec.values[this.w.schema.type(type).at.get(field)!]) : undefined;
		};
		this.sent = touch(this.sent, field, v, this.stored(field), gives);
	}

	/** What was typed cannot be read, or can again. */
	cannotRead(field: string, message: string | null) {
		const { [field]: _gone, ...rest } = this.#unread;
		this.#unread = message ? { ...rest, [field]: message } : rest;
	}

	/** Takes what is stored for a field. */
	letGo(field: string) {
		this.sent = this.sent.filter(([x]) => x !== field);
	}

	undoAll() {
		this.sent = [];
		this.faults = [];
		this.#unread = {};
	}

	/** Does something that loads the record again; what was touched stays upon it. */
	async keeping(load: () => Promise<unknown>) {
		const mine = this.sent;
		this.otherwise = this.conflict = null;
		await load();
		this.sent = mine;
	}

	/**
	 * Saves what was touched.
	 * @returns the record's number when it was saved, and the first field that is at fault
	 */
	async save(): Promise<{ to: string | null; at: string | null }> {
		const { type, id, short } = this.opened();
		const open = Object.entries(this.#unread);
		if (open.length) {
			this.faults = open.map(([field, message]) => ({ field, message }));
			return { to: null, at: open[0][0] };
		}
		if (id !== null && !this.sent.length) {
			this.saved = 'Nothing was changed, so nothing was saved.';
			return { to: null, at: null };
		}
		if (this.busy) return { to: null, at: null };
		this.busy = true;
		this.failed = [];
		this.faults = [];
		const q = new URLSearchParams({
			form: short ? 'short' : 'full',
			...(id === null ? {} : { id })
		});
		const body = {
			sent: this.sent,
			release: this.otherwise?.release ?? this.release,
			living: this.otherwise?.living ?? this.w.living.number,
			...(id === null ? {} : { version: this.now.version })
		};
		try {
			const kept = await ask<Kept>(`/save/${type}?${q}`, { method: 'POST', body });
			this.otherwise = null;
			this.#keep(kept);
			return { to: kept.id, at: null };
		} catch (e) {
			if (!(e instanceof Refused)) throw e;
			return { to: null, at: this.#refused(e) };
		} finally {
			this.busy = false;
		}
	}

	#keep(kept: Kept) {
		// what a rule only put into another form is the person's all the same
		const rules = kept.changes.filter((c) => c.rule && c.typed === undefined).length;
		const more = [
			...(kept.reached.length ? [some(kept.reached.length, 'related record')] : []),
			...(kept.sent ? [`${some(kept.sent, 'message')} to send`] : []),
			...(kept.pending ? [`${some(kept.pending, 'related record')} to follow`] : [])
		].map((x) => `, ${x}`);
		this.saved = `Saved by release ${kept.release}: ${some(kept.changes.length - rules, 'field')} from you, ${rules} by rules${more.join('')}.`;
		this.failed = kept.failures;
		this.#said = { version: kept.version, values: kept.values };
		this.sent = [];
	}

	#refused(e: Refused): string | null {
		const { current, otherwise, faults } = e.answer as {
			current?: NonNullable<Entry['conflict']>;
			otherwise?: NonNullable<Entry['otherwise']>;
			faults?: Fault[];
		};
		this.otherwise = null;
		if (e.unreachable)
			this.faults = [
				{
					field: null,
					message: 'The server cannot be reached. What you typed is still here; save again.'
				}
			];
		else if (e.status === 409 && current) this.conflict = current;
		else if (e.status === 409 && otherwise) this.otherwise = otherwise;
		else {
			this.faults = faults ?? [{ field: null, message: e.message }];
			return this.faults.find((x) => x.field)?.field ?? null;
		}
		return null;
	}
}
