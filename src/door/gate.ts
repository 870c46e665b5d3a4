/**
 * What has to be so before a draft becomes a release: as the workspace set it, for server and pages alike.
 * What is not yet known is met by nothing.
 */

export const CRITERIA = [
	'findings',
	'trials',
	'coverage',
	'strength',
	'rehearsal',
	'replay',
	'surprises',
	'remarks'
] as const;
export type Criterion = (typeof CRITERIA)[number];

/** What it means that something is not met: nobody releases; whoever releases says why; it is shown. */
export const LEVELS = ['must', 'reason', 'shown'] as const;
export type Level = (typeof LEVELS)[number];

export interface Gate {
	levels: Record<Criterion, Level>;
	/** Percent of the points of the rules that trials try, and of the small mistakes that trials notice. */
	coverage: number;
	strength: number;
	/** A blocking finding that the release in force has too, and that nothing touched, blocks as well. */
	inherited: boolean;
}

/** A gate until somebody sets another. */
export const USUAL_GATE: Gate = {
	levels: {
		findings: 'must',
		trials: 'reason',
		coverage: 'shown',
		strength: 'shown',
		rehearsal: 'shown',
		replay: 'shown',
		surprises: 'shown',
		remarks: 'shown'
	},
	coverage: 80,
	strength: 80,
	inherited: false
};

/** A part of a whole. */
interface Part {
	n: number;
	of: number;
}

/** What is known of a draft; null for what is not known yet. */
export interface Readiness {
	/** Blocking findings nobody accepted; of them those that the release in force has too. */
	blocking: number | null;
	inherited: number;
	failing: number | null;
	trials: number;
	/** Points that are tried, and small mistakes that are noticed. */
	tried: Part | null;
	noticed: Part | null;
	/** Whether the draft as it is was rehearsed against what is in force; records that would change. */
	rehearsed: boolean;
	records: number;
	/** Living tables whose rows were edited since that rehearsal. */
	rowsSince: readonly string[];
	/** Whether it was replayed so too: the days, with the changes that would have come out otherwise; null for not. */
	replayed: { from: string; to: string; changes: Part } | null;
	/** Surprises of the two that nobody looked at. */
	surprises: number;
	/** Remarks that are open. */
	remarks: readonly OpenRemark[];
}

/** A remark that is not settled. */
interface OpenRemark {
	title: string;
	text: string;
	by: string;
}

/** What is known of the newest rehearsal of a draft on all records, or of its newest replay. */
interface Rehearsed {
	draftHash: string | null;
	/** The release that the draft was held against. */
	before: number | null;
	records: number;
	of: number;
	rowsSince: readonly string[];
	period: { from: string; to: string } | null;
	surprises: readonly { key: string }[];
	/** Those that somebody looked at, by key. */
	looked: Readonly<Record<string, unknown>>;
}

/** How many surprises of a rehearsal nobody looked at. */
export const unlooked = (r: Pick<Rehearsed, 'surprises' | 'looked'> | null): number =>
	r?.surprises.filter((s) => !Object.hasOwn(r.looked, s.key)).length ?? 0;

/** What a rehearsal and a replay say of a draft with this hash against the release in force. */
export function rehearsedAs(
	r: Rehearsed | null,
	replay: Rehearsed | null,
	draftHash: string | null,
	force: number
): Pick<Readiness, 'rehearsed' | 'records' | 'rowsSince' | 'replayed' | 'surprises'> {
	const fresh = (x: Rehearsed | null) =>
		x !== null && x.draftHash === draftHash && x.before === force;
	const replayed = fresh(replay) ? replay! : null;
	return {
		rehearsed: fresh(r),
		records: r?.records ?? 0,
		rowsSince: r?.rowsSince ?? [],
		replayed: replayed?.period
			? { ...replayed.period, changes: { n: replayed.records, of: replayed.of } }
			: null,
		surprises: unlooked(r) + unlooked(replayed)
	};
}

/** One criterion held against a draft. */
export interface Passing {
	what: Criterion;
	level: Level;
	/** Null while it is not known. */
	met: boolean | null;
	says: string;
	/** What it speaks of, one by one. */
	lines?: readonly string[];
	/** Why it was released although this is not met. */
	reason?: string;
}

const many = (n: number, one: string, more = `${one}s`) => `${n} ${n === 1 ? one : more}`;
const percent = ({ n, of }: Part) => (of ? Math.floor((100 * n) / of) : 100);

/** What is to be added where rows of tables were edited since. */
const sinceOf = (tables: readonly string[]) =>
	tables.length ? ` Rows of ${tables.map((t) => `“${t}”`).join(', ')} were edited since.` : '';

/** Holds every criterion against what is known. */
export function held(gate: Gate, r: Readiness): Passing[] {
	const said = (what: Criterion): Pick<Passing, 'met' | 'says' | 'lines'> => {
		switch (what) {
			case 'findings': {
				if (r.blocking === null)
					return { met: null, says: 'Whether anything blocks is still being looked at.' };
				const counts = gate.inherited ? r.blocking : r.blocking - r.inherited;
				const too =
					!gate.inherited && r.inherited
						? ` ${many(r.inherited, 'more stands', 'more stand')} in the release in force as well, and nothing touched ${r.inherited === 1 ? 'it' : 'them'}.`
						: '';
				return {
					met: counts === 0,
					says: `${counts ? many(counts, 'blocking finding') : 'No blocking finding'}.${too}`
				};
			}
			case 'trials':
				if (r.failing === null) return { met: null, says: 'The trials are being run.' };
				return {
					met: r.failing === 0,
					says: r.failing
						? `${many(r.failing, 'trial does', 'trials do')} not hold.`
						: `All ${r.trials} trials hold.`
				};
			case 'coverage':
				if (!r.tried)
					return { met: null, says: 'What of the rules is tried is still being looked at.' };
				return {
					met: percent(r.tried) >= gate.coverage,
					says: `${r.tried.n} of ${r.tried.of} points of the rules are tried: ${percent(r.tried)} %, wanted ${gate.coverage} %.`
				};
			case 'strength':
				if (!r.noticed) return { met: null, says: 'How strong the trials are is not known.' };
				return {
					met: percent(r.noticed) >= gate.strength,
					says: `Trials notice ${r.noticed.n} of ${r.noticed.of} small mistakes: ${percent(r.noticed)} %, wanted ${gate.strength} %.`
				};
			case 'rehearsal':
				return {
					met: r.rehearsed,
					says: r.rehearsed
						? `Rehearsed on all records: ${many(r.records, 'record')} would change.${sinceOf(r.rowsSince)}`
						: 'Not rehearsed as it stands.'
				};
			case 'replay':
				return {
					met: r.replayed !== null,
					says: r.replayed
						? `Replayed on what was changed from ${r.replayed.from} to ${r.replayed.to}: ${r.replayed.changes.n} of ${many(r.replayed.changes.of, 'change')} would have come out otherwise.`
						: 'Not replayed as it stands.'
				};
			case 'surprises':
				if (!r.rehearsed)
					return { met: false, says: 'Surprises are not known before a rehearsal.' };
				return {
					met: r.surprises === 0,
					says: r.surprises
						? `${many(r.surprises, 'surprise')} ${r.replayed ? 'of rehearsal and replay' : 'of the rehearsal'} nobody looked at.`
						: `All surprises ${r.replayed ? 'of rehearsal and replay' : 'of the rehearsal'} were looked at.`
				};
			case 'remarks':
				return {
					met: !r.remarks.length,
					says: r.remarks.length
						? `${many(r.remarks.length, 'remark is', 'remarks are')} open.`
						: 'No remark is open.',
					...(r.remarks.length
						? {
								lines: r.remarks
									.slice(0, REMARKS_TOLD)
									.map(({ title, text, by }) => `${title}: “${text}”, ${by}`)
							}
						: {})
				};
		}
	};
	return CRITERIA.map((what) => ({ what, level: gate.levels[what], ...said(what) }));
}

/** Those for which whoever releases has to say why. */
export const needsReason = (p: Passing): boolean => p.met === false && p.level === 'reason';
/** Those that keep a draft from being released, whatever is said; what is not known yet among them. */
export const keepsOut = (p: Passing): boolean =>
	(p.level !== 'shown' && p.met === null) || (p.level === 'must' && !p.met);

/** What is known of a rehearsal of the return to a release; the surprises are those that nobody looked at. */
export interface ReturnRehearsed {
	id: string;
	records: number;
	surprises: number;
}

/**
 * What the gate says of a return to an earlier release: of rules, trials and remarks nothing, since it was released. What
 * is not met asks for a reason, also where a release has to meet it: whoever goes back in a hurry is not to wait.
 * @param r null where it was not rehearsed since the release in force came in force
 */
export function heldReturn({ levels }: Gate, r: ReturnRehearsed | null): Passing[] {
	const asks = (what: Criterion): Level => (levels[what] === 'must' ? 'reason' : levels[what]);
	return [
		{
			what: 'rehearsal',
			level: asks('rehearsal'),
			met: r !== null,
			says: r
				? `Rehearsed on all records: ${many(r.records, 'record')} would change.`
				: 'Putting it in force is not rehearsed.'
		},
		...(r?.surprises
			? [
					{
						what: 'surprises' as const,
						level: asks('surprises'),
						met: false,
						says: `${many(r.surprises, 'surprise')} of its rehearsal nobody looked at.`
					}
				]
			: [])
	];
}

/** What a remark can stand at, and its longest text. */
export const REMARKED = ['rule', 'finding', 'trial'] as const;
export const MOST_REMARK = 1000;
/** Open remarks that are told one by one. */
const REMARKS_TOLD = 30;

/** Longest reason. */
export const MOST_REASON = 500;

/** Why it is released although something is not met, by criterion. */
export type Reasons = Partial<Record<Criterion, string>>;
