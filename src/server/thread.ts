/** Threads of the server: begun from what was built, or, where nothing was, from the source as the scripts are. */
import path from 'node:path';
import { pathToFileURL } from 'node:url';
import { Worker } from 'node:worker_threads';

/** Modules that are threads, below `src`; the build makes a file of each (`svelte.config.js`). */
export type ThreadModule =
	'workers/analysis.thread' | 'server/look/suggest.thread' | 'server/jobs/worker';

/** @param job what the thread finds in `workerData.job` */
export function beginThread(module: ThreadModule, job?: unknown): Worker {
	const built = process.env.RIGID_BUILD;
	if (built)
		return new Worker(path.resolve(built, 'threads', `${module}.js`), { workerData: { job } });
	const source = path.resolve('src');
	return new Worker(path.join(source, 'workers/thread.mjs'), {
		workerData: { module: pathToFileURL(path.join(source, `${module}.ts`)).href, job }
	});
}
