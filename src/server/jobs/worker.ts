/** The thread of background work: pieces of jobs as the queue gives them, and once a second what else there is. */
import { EventEmitter } from 'node:events';
import { readlinkSync } from 'node:fs';
import { setPriority } from 'node:os';
import { basename } from 'node:path';
import { parentPort } from 'node:worker_threads';
import { Logger, run, type WorkerEvents } from 'graphile-worker';
import { LANE, beat, forgetWorkers } from '../db/jobs';
import { closeDb, db } from '../db/pool';
import { dbTrouble } from '../db/trouble';
import { log } from '../http/log';
import type { Told } from './background';
import { outside, turn } from './turn';
import { workOn, type Piece } from './work';

/** Milliseconds. */
const TURN_EVERY = 1000;
const BEAT_EVERY = 3000;
/** Pieces worked on at once: while one waits for the database, another goes on. */
const AT_ONCE = 2;

/** Whoever waits for a request comes first: this thread gives way where cores are few. */
function giveWay() {
	try {
		// Linux counts threads as processes; the number of this one stands behind this link
		setPriority(Number(basename(readlinkSync('/proc/thread-self'))), 10);
	} catch {
		// elsewhere it works beside requests as one of equals
	}
}
giveWay();

const tell = (told: Told) => parentPort!.postMessage(told);
const quiet = new Logger(() => (level, message) => {
	if (level === 'error') log.warn({ message }, 'the queue');
});

const workers = new Set<string>();
const events: WorkerEvents = new EventEmitter();
// known from their first moment, and heard of before the first round is over
events.on('worker:create', ({ worker }) => workers.add(worker.workerId));
// one that cannot give a piece back, because the database broke off, ends, and the queue makes no other in its place: without this
// the thread would live on with nobody who works, and with signs of life of those who are dead
events.on('worker:fatalError', ({ error }) => {
	log.warn({ err: error }, 'a worker of the queue ended');
	process.exit(1);
});
/** Pieces of lanes that are worked on here just now. */
let lanes = 0;
const runner = await run({
	pgPool: db(),
	concurrency: AT_ONCE,
	noHandleSignals: true,
	pollInterval: TURN_EVERY,
	logger: quiet,
	events,
	forbiddenFlags: () => (lanes ? [LANE] : null),
	taskList: {
		async piece(payload, { job }) {
			const lane = job.flags?.[LANE] ? 1 : 0;
			lanes += lane;
			try {
				await workOn(payload as Piece);
			} finally {
				lanes -= lane;
			}
		}
	}
});

let busy = false;
const turning = setInterval(async () => {
	if (busy) return;
	busy = true;
	if (await turn()) tell({ turned: Date.now() });
	busy = false;
}, TURN_EVERY);
// a system outside that is slow to answer holds up nothing else
let calling = false;
const telling = setInterval(async () => {
	if (calling) return;
	calling = true;
	await outside();
	calling = false;
}, TURN_EVERY);
const sign = () =>
	beat(db(), [...workers]).catch((e: unknown) => {
		if (!dbTrouble(e)) log.error({ err: e }, 'no sign of life could be given');
	});
void sign();
const beating = setInterval(() => void sign(), BEAT_EVERY);
tell({ turned: Date.now() });

// the queue gives up when the database is away for long; another thread begins anew
runner.promise.catch((e: unknown) => {
	log.warn({ err: e }, 'the queue stopped');
	process.exit(1);
});

parentPort!.once('message', async () => {
	clearInterval(turning);
	clearInterval(telling);
	await runner.stop();
	clearInterval(beating);
	await forgetWorkers(db(), [...workers]).catch(() => undefined);
	await closeDb();
	process.exit(0);
});
