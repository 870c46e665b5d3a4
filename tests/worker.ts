/** What the queue holds, worked on in the process of a test. */
import { Logger, run, runOnce } from 'graphile-worker';
import { db } from '../src/server/db/pool';
import { workOn, type Piece } from '../src/server/jobs/work';

const quiet = {
	taskList: { piece: (p: unknown) => workOn(p as Piece) },
	logger: new Logger(() => () => undefined),
	noHandleSignals: true
};

/** Works on all that waits, and returns when nothing does. */
export const workAll = (): Promise<void> => runOnce({ pgPool: db(), ...quiet });

/** Works on whatever comes, as the thread of a server does, until it is stopped. */
export async function workBeside(): Promise<{ stop: () => Promise<void> }> {
	const runner = await run({ pgPool: db(), ...quiet, concurrency: 2, pollInterval: 50 });
	return { stop: () => runner.stop() };
}
