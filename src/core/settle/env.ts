/** What formulas run in while a change settles: its clock, its steps, and the records at hand. */
import { CHANGE_STEPS, EVALUATION_STEPS, RECORD_STEPS, RELATED_STEPS } from '../feel/budget';
import type { Env, FindRows, RecordView, RollUp, Rolled } from '../feel/env';
import type { Image } from '../document/tree';
import type { MatchKey } from '../fields/match';
import type { ZoneClock } from '../value/temporal';
import { LocalDate, Moment } from '../value/temporal';
import type { Value } from '../value/value';
import type { Change } from './types';

/** The records that formulas may read. Each throws what waits for a record that is not at hand. */
export interface AtHand {
	view(type: string, id: string): RecordView | null;
	relatedIds(type: string, field: string, id: string, image: Image): readonly string[];
	matching(type: string, keys: readonly MatchKey[]): readonly string[];
	rolledUp(of: RollUp, id: string): Rolled | null;
}

const DAY_ONE = LocalDate.fromEpochDay(0)!;

/** What formulas run in. The instant is worked out as a moment only where a rule asks. */
export class PassEnv implements Env {
	rec: RecordView | null = null;
	input: Value = null;
	vars: Value[] = [];
	steps = 0;
	depth = 0;
	patterns: Set<string> | null = null;
	/** Steps this evaluation was given, and those left to the change beside it. */
	private given = 0;
	private left = CHANGE_STEPS;
	private spent = 0;
	/** Collections that have added to the steps of this evaluation. */
	private counted: Set<string> | null = null;
	private free = false;
	private moment: Moment | null = null;

	constructor(
		readonly zone: string,
		readonly zones: ZoneClock,
		private readonly change: Change,
		private readonly pass: AtHand,
		readonly findRows?: FindRows
	) {
		this.left += RECORD_STEPS * change.records.length;
	}

	/** Begins an evaluation at a record: what the last one took is taken from the change. */
	begin(rec: RecordView) {
		if (!this.free) {
			this.left -= this.given - this.steps;
			this.spent += this.given - this.steps;
		}
		this.rec = rec;
		this.given = this.steps = this.free
			? EVALUATION_STEPS
			: Math.max(0, Math.min(EVALUATION_STEPS, this.left));
		this.depth = 0;
		this.patterns = null;
		this.counted = null;
	}

	/** The steps of all evaluations that are over. */
	taken(): number {
		return this.spent + this.given - this.steps;
	}

	/** Another change of one record begins, in the same clock and with the same records at hand. */
	anew() {
		this.left = CHANGE_STEPS + RECORD_STEPS;
		this.given = this.steps = this.spent = 0;
	}

	/** The change has come to one more record, which adds to its steps. */
	touchesRecord() {
		this.left += RECORD_STEPS;
	}

	/** Does something that only explains: it takes no steps from the change, so that asking alters nothing. */
	aside<T>(f: () => T): T {
		const { rec, input, vars, steps, depth, patterns, given, left, counted, free } = this;
		this.free = true;
		this.given = this.steps = EVALUATION_STEPS;
		this.depth = 0;
		this.patterns = this.counted = null;
		try {
			return f();
		} finally {
			Object.assign(this, { rec, input, vars, steps, depth, patterns, given, left, counted, free });
		}
	}

	get now(): Moment {
		return (this.moment ??=
			Moment.fromInstant(this.change.instant, this.zone, this.zones) ??
			Moment.fromInstant(this.change.instant, 'UTC', this.zones)!);
	}
	get today(): LocalDate {
		return this.now?.date ?? DAY_ONE;
	}
	get person() {
		return this.change.person;
	}
	get entryPoint() {
		return this.change.entryPoint;
	}
	record(type: string, id: string): RecordView | null {
		return this.pass.view(type, id);
	}
	/** What lies behind a link is paid for, once in an evaluation, by an allowance that grows with it. */
	related(type: string, field: string, id: string, image: Image): readonly string[] {
		const ids = this.pass.relatedIds(type, field, id, image);
		this.allow(`${image} ${type}.${field} ${id}`, ids.length);
		return ids;
	}
	/** The same is allowed as for looking at each. */
	rolledUp(of: RollUp, id: string): Rolled | null {
		const rolled = this.pass.rolledUp(of, id);
		if (rolled) this.allow(`settled ${of.type}.${of.link} ${id}`, rolled.all);
		return rolled;
	}
	private allow(collection: string, n: number) {
		if (this.counted?.has(collection)) return;
		(this.counted ??= new Set()).add(collection);
		const more = n * RELATED_STEPS;
		this.steps += more;
		this.given += more;
		this.left += more;
	}
	matching(type: string, keys: readonly MatchKey[]): readonly string[] {
		return this.pass.matching(type, keys);
	}
}
