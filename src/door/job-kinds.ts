/** What jobs there are, for pages and server alike, and which of them a page asks for. */
import { BadInput } from './check';

export const JOB_KINDS = [
	'import',
	'dry run',
	'rehearsal',
	'replay',
	'analysis',
	'bulk look',
	'bulk change',
	'out-of-line look',
	'indexing'
] as const;
export type JobKind = (typeof JOB_KINDS)[number];

/** Those that can be paused: what they have done so far stands. */
export const PAUSABLE: ReadonlySet<JobKind> = new Set<JobKind>([
	'import',
	'rehearsal',
	'out-of-line look',
	'bulk change'
]);

/** Those of which each row stands for itself: what is left can be done after they ended. */
export const RESUMABLE: ReadonlySet<JobKind> = new Set<JobKind>(['import', 'bulk change']);

/** Which of the jobs that ended. */
export interface JobsAsked {
	kind: JobKind | null;
	/** Number of the account that asked for it; `nobody` for those that began by themselves. */
	by: string | null;
	/** Only those before this one. */
	before: string | null;
}

/** The jobs of an address. @throws {BadInput} naming what cannot be read */
export function jobsAsked(q: URLSearchParams): JobsAsked {
	const [kind, by, before] = ['kind', 'by', 'before'].map((key) => q.get(key) || null);
	const known = JOB_KINDS.find((k) => k === kind) ?? null;
	if (kind && !known)
		throw new BadInput(`“kind” in the address must be one of: ${JOB_KINDS.join(', ')}.`);
	if (by && by !== 'nobody' && !/^\d{1,18}$/.test(by))
		throw new BadInput('“by” in the address must be a number, or “nobody”.');
	if (before && !/^[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}$/.test(before))
		throw new BadInput('“before” in the address must be a job.');
	return { kind: known, by, before };
}

/** The same as an address has it. */
export function jobsHref(asked: JobsAsked): string {
	const q = new URLSearchParams(
		Object.entries(asked).filter((e): e is [string, string] => e[1] !== null)
	).toString();
	return q ? `/jobs?${q}` : '/jobs';
}
