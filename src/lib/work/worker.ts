/** Starts what is worked out beside a page (`src/workers/draft.worker.ts`), each in a thread of its own. */
export const startWorker = (name: 'between' | 'cover' | 'findings' | 'trials'): Worker =>
	// written out like this, since it is so that the build finds the script (vite.config.ts)
	new Worker(new URL('../../workers/draft.worker.ts', import.meta.url), { type: 'module', name });
