/**
 * What pages cost the server: until one is there, and its bytes as they travel. On the demo, and with four hundred
 * rules and a thousand trials, page after page in rounds. Wall time, on the built server, whoever asks beside it.
 *
 *   npm run bench -- pages
 */
import { readFileSync } from 'node:fs';
import { fileURLToPath } from 'node:url';
import { brotliCompressSync } from 'node:zlib';
import { DEMO_WORKSPACE, seed } from '../demo/seed';
import { Client, startApp } from '../service/app';
import type { Rule } from '../src/core';
import { migrate } from '../src/server/db/migrate';
import { closeDb, db, transaction } from '../src/server/db/pool';
import { listTrials } from '../src/server/db/rules';
import { storeTrials } from '../src/server/draft/trials';
import { listAccounts } from '../src/server/people/accounts';
import { median } from './measure';

const ROUNDS = Number(process.env.RIGID_BENCH_ROUNDS ?? 15);
const PAGES = [
	'/settings',
	'/write/customer/size_class',
	'/check',
	'/records/deal',
	'/records/deal/1',
	'/journal'
];
const RULES = 400;
const TRIALS = 1_000;

await migrate(fileURLToPath(new URL('../db/migrations', import.meta.url)));
await transaction((c) => seed(c));
await db().query('analyze');
const [account] = await listAccounts(db(), DEMO_WORKSPACE);
const app = await startApp();
const ida = await new Client(app.base).signIn('ida@quillmere.example', 'glasshouse-1');

/** Processor time of the server so far, milliseconds, all its threads. */
const worked = () => {
	const stat = readFileSync(`/proc/${app.child.pid}/stat`, 'utf8').split(') ')[1].split(' ');
	return (Number(stat[11]) + Number(stat[12])) * 10;
};

interface Cost {
	ms: number;
	work: number;
	bytes: number;
}

/** Of each page: the middle of the rounds, what the server worked for one, and its bytes. */
async function asked(): Promise<Map<string, Cost>> {
	const all = new Map(PAGES.map((p) => [p, { took: [] as number[], work: 0, bytes: 0 }]));
	// twice ahead, since the first time it compiles and reads what is kept from then on
	for (let round = -2; round < ROUNDS; round++)
		for (const [page, of] of all) {
			const [from, before] = [performance.now(), worked()];
			const r = await ida.ask(page, { headers: { accept: 'text/html' } });
			const text = await r.text();
			const [ms, work] = [performance.now() - from, worked() - before];
			if (!r.ok) throw new Error(`${page}: ${r.status}`);
			of.bytes = brotliCompressSync(text).length;
			if (round < 0) continue;
			of.took.push(ms);
			of.work += work;
		}
	return new Map(
		[...all].map(([page, { took, work, bytes }]) => [
			page,
			{ ms: median(took), work: work / ROUNDS, bytes }
		])
	);
}

/** Rules that concern no record. */
const more = Array.from({ length: RULES }, (_, i): Rule => ({
	id: `more_${i}`,
	type: ['customer', 'lead', 'deal'][i % 3],
	kind: 'derive',
	name: `More ${i}`,
	why: '',
	moments: ['created', 'changed', 'request'],
	entryPoints: null,
	watch: null,
	entering: false,
	guard: { text: `${['Trading name', 'Company as typed', 'Name'][i % 3]} = "Nobody ${i}"` },
	outputs: [
		{
			id: 'o',
			field: ['glass_area', 'glass_area', 'electrical_capacity'][i % 3],
			hold: 'fill',
			none: 'next'
		}
	],
	body: { kind: 'formula', formulas: [{ text: String(i) }] }
}));

const demo = await asked();
const pieces = more.map((after) => ({ path: ['rules', after.id], after }));
const r = await ida.ask('/draft', { method: 'PATCH', json: { pieces } });
if (!r.ok) throw new Error(`${r.status} ${await r.text()}`);
const trials = await listTrials(db(), DEMO_WORKSPACE);
await storeTrials(
	account,
	Array.from({ length: TRIALS }, (_, i) => ({
		...trials[i % trials.length],
		id: `t_${i}`,
		name: `Trial ${i}`
	}))
);
const many = await asked();
console.log(
	`\n${' '.repeat(30)}the demo                    ${RULES} more rules, ${TRIALS} more trials`
);
for (const page of PAGES) {
	const [a, b] = [demo.get(page)!, many.get(page)!];
	const told = ({ ms, work, bytes }: Cost) =>
		`${ms.toFixed(0).padStart(4)} ms, work ${work.toFixed(0).padStart(3)} ms, ${(bytes / 1_000).toFixed(0).padStart(3)} kB`;
	console.log(`  ${page.padEnd(28)}${told(a)}  ${told(b)}  × ${(b.ms / a.ms).toFixed(1)}`);
}
await app.stop();
await closeDb();
