/** What jobs there are, for pages and server alike. */

export type JobKind =
	| 'import'
	| 'dry run'
	| 'rehearsal'
	| 'replay'
	| 'analysis'
	| 'bulk look'
	| 'bulk change'
	| 'out-of-line look'
	| 'indexing';

/** Those that can be paused: what they have done so far stands. */
export const PAUSABLE: ReadonlySet<JobKind> = new Set<JobKind>([
	'import',
	'rehearsal',
	'out-of-line look',
	'bulk change'
]);

/** Those of which each row stands for itself: what is left can be done after they ended. */
export const RESUMABLE: ReadonlySet<JobKind> = new Set<JobKind>(['import', 'bulk change']);
