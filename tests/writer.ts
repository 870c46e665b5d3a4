/**
 * A server's work in a process of its own, to be killed in the middle of it: changes on linked
 * records from four sides at once, wide ones that are put off, imports, messages. After each kept change it
 * prints a line `type id version`. Arguments: seed, numbers of the first and last customer and deal.
 */
import { seeded } from '../demo/generate';
import { DEMO_WORKSPACE } from '../demo/seed';
import { listAccounts } from '../src/server/people/accounts';
import { carryOn } from '../src/server/jobs/turn';
import { RefusedChange, remove, save } from '../src/server/records';
import { db } from '../src/server/db/pool';
import { importCsv } from './csv';
import { deliver } from '../src/server/outside/outbox';

const [seed, customers, deals] = process.argv.slice(2).map(Number);
const rnd = seeded(seed);
const pick = <T>(xs: readonly T[]) => xs[Math.floor(rnd() * xs.length)];
const some = (n: number) => String(1 + Math.floor(rnd() * n));

const [account] = await listAccounts(db(), DEMO_WORKSPACE);
const sender = (most?: number) => ({
	workspace: DEMO_WORKSPACE,
	account,
	entryPoint: 'api' as const,
	instant: Date.UTC(2026, 10, 24, 9),
	most
});

async function put(type: string, id: string | null, sent: [string, unknown][], most?: number) {
	const [o] = await save(sender(most), [{ type, id, sent, keep: [] }]);
	process.stdout.write(`${o.type} ${o.id} ${o.version}\n`);
	return o;
}

const WORK: (() => Promise<unknown>)[] = [
	() =>
		put('deal', rnd() < 0.3 ? null : some(deals), [
			['customer', some(customers)],
			['stage', pick(['won', 'lost', 'enquiry', 'quotation'])],
			['amount', String(Math.floor(rnd() * 9_000_000) / 100)],
			['close_date', '2027-03-01']
		]),
	() => put('customer', some(customers), [['headcount', some(400)]], 3),
	() => put('customer', some(customers), [['key_grower', rnd() < 0.5]], 3),
	() => put('customer', some(customers), [['season_notice', rnd() < 0.5]]),
	() =>
		importCsv(
			sender(),
			'deal',
			`Customer,Stage,Amount\n${some(customers)},Won,100\n${some(customers)},Enquiry,200\n`,
			[]
		),
	async () => {
		const o = await put('deal', null, [
			['customer', some(customers)],
			['stage', 'won'],
			['amount', '5']
		]);
		await remove(sender(), { type: 'deal', id: o.id });
	},
	() => carryOn(3),
	() => deliver(5)
];

process.stdout.write('ready\n');
await Promise.all(
	Array.from({ length: 4 }, async () => {
		for (;;)
			try {
				await pick(WORK)();
			} catch (e) {
				// a deal that another side deleted, say
				if (!(e instanceof RefusedChange)) throw e;
			}
	})
);
