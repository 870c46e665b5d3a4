/**
 * What is measured of this server, in the text format of Prometheus.
 * https://prometheus.io/docs/instrumenting/exposition_formats/
 */
import { Counter, Gauge, Histogram, Registry, collectDefaultMetrics } from 'prom-client';
import { countPending } from '../db/carried';
import { countEvents } from '../db/hooks';
import { countMessages } from '../db/outbox';
import { db } from '../db/pool';

const registers = [new Registry()];
const [registry] = registers;
collectDefaultMetrics({ register: registry, prefix: 'rigid_' });

const took = new Histogram({
	name: 'rigid_request_seconds',
	help: 'How long requests took, by route, method and class of status.',
	labelNames: ['route', 'method', 'status'],
	buckets: [0.005, 0.02, 0.05, 0.1, 0.25, 0.5, 1, 2.5, 5, 10, 30],
	registers
});
const changes = new Counter({
	name: 'rigid_changes_total',
	help: 'Changes of records, by entry point and outcome.',
	labelNames: ['entry_point', 'outcome'],
	registers
});
const pool = new Gauge({
	name: 'rigid_db_connections',
	help: 'Connections to the database of this server, by what they do.',
	labelNames: ['state'],
	registers
});
const waiting = new Gauge({
	name: 'rigid_waiting',
	help: 'What waits to be done, by kind: messages, records of changes that are carried on.',
	labelNames: ['what'],
	registers
});

const METHODS = new Set(['GET', 'HEAD', 'POST', 'PUT', 'PATCH', 'DELETE', 'OPTIONS']);

/** Counts a request. Addresses that have no route count as one, so that nobody can make up labels. */
export function noteRequest(r: {
	route: string | null;
	method: string;
	status: number;
	seconds: number;
}): void {
	const method = METHODS.has(r.method) ? r.method : 'other';
	const status = `${Math.floor(r.status / 100)}xx`;
	took.observe({ route: r.route ?? 'none', method, status }, r.seconds);
}

/** Counts changes of records. */
export function noteChange(entryPoint: string, outcome: 'saved' | 'refused', n = 1): void {
	changes.inc({ entry_point: entryPoint, outcome }, n);
}

/** Everything that is measured, as text. */
export async function metrics(): Promise<{ type: string; text: string }> {
	const p = db();
	pool.set({ state: 'busy' }, p.totalCount - p.idleCount);
	pool.set({ state: 'idle' }, p.idleCount);
	pool.set({ state: 'waited for' }, p.waitingCount);
	waiting.set({ what: 'messages' }, await countMessages(p));
	waiting.set({ what: 'events of webhooks' }, await countEvents(p));
	waiting.set({ what: 'records' }, await countPending(p));
	return { type: registry.contentType, text: await registry.metrics() };
}
