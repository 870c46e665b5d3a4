/** Fills an empty workspace with the demo: people, model, releases, draft, trials and records. */
import { fromJson } from '../src/core/model/codec';
import { Schema } from '../src/core/model/model';
import { compilePlan, ruleOf } from '../src/core/plan/plan';
import type { Loader } from '../src/core/settle/settle';
import { settle } from '../src/core/settle/settle';
import { reason } from '../src/core/settle/reason';
import { NOTHING_ELSE } from '../src/core/trials/trials';
import type { Value } from '../src/core/value/value';
import { zones } from '../src/runtime/zones';
import { createAccount, type Role } from '../src/server/accounts';
import { createModel, tableOf } from '../src/server/db/model';
import type { Db } from '../src/server/db/pool';
import type { SetBy } from '../src/server/db/records';
import { columnsFor } from '../src/server/db/records';
import { createRelease, replaceDraft, saveTrial } from '../src/server/db/rules';
import type { DemoSizes } from './generate';
import { DEMO_SIZES, generate, seeded } from './generate';
import { demoModel } from './model';
import { demoDraft, demoReleases } from './rules';
import { demoTrials } from './trials';

export const DEMO_WORKSPACE = 'quillmere';
/** The day on which the demo data was made. */
const MADE = Date.UTC(2026, 10, 20, 8);

/** Who can sign in to the demo, with the record that stands for them. */
export const DEMO_PEOPLE: {
	email: string;
	name: string;
	role: Role;
	person: string;
	password: string;
}[] = [
	{
		email: 'ida@quillmere.example',
		name: 'Ida Faro',
		role: 'administrator',
		person: '1',
		password: 'glasshouse-1'
	},
	{
		email: 'jonas@quillmere.example',
		name: 'Jonas Weverling',
		role: 'author',
		person: '2',
		password: 'glasshouse-2'
	},
	{
		email: 'mieke@quillmere.example',
		name: 'Mieke Rozendal',
		role: 'reader',
		person: '3',
		password: 'glasshouse-3'
	}
];

/** Whether the demo is there already. */
export async function isSeeded(db: Db): Promise<boolean> {
	const r = await db.query('select 1 from workspace where id = $1', [DEMO_WORKSPACE]);
	return !!r.rowCount;
}

/** Seeds the demo; call it in one transaction. */
export async function seed(db: Db, sizes: DemoSizes = DEMO_SIZES): Promise<void> {
	const w = DEMO_WORKSPACE;
	await db.query('insert into workspace (id, name, zone, person_type) values ($1, $2, $3, $4)', [
		w,
		'Quillmere',
		demoModel.zone,
		demoModel.personType
	]);
	await createModel(db, w, demoModel);
	for (const p of DEMO_PEOPLE) await createAccount(db, { workspace: w, ...p });
	const ida = await db.query('select id::text from account where email = $1', [
		DEMO_PEOPLE[0].email
	]);
	const author = ida.rows[0].id as string;
	for (const r of demoReleases) await createRelease(db, w, r.set, demoModel, r.note, author);
	await replaceDraft(db, w, demoDraft, author);
	for (const t of demoTrials) await saveTrial(db, w, t);
	// deals are settled first, since customers roll them up, and stored last, since they link to them
	const deals = settleAll('deal', sizes, NOTHING_ELSE);
	const near = pointing(deals);
	for (const type of ['engineer', 'district', 'customer', 'contact', 'lead'])
		await store(db, type, settleAll(type, sizes, near));
	await store(db, 'deal', deals);
}

interface Seeded {
	values: readonly Value[];
	setBy: Record<string, SetBy>;
	/** From before the rules: nothing settled it. */
	old: boolean;
}

/** A loader that knows the deals of each customer and nothing else. Numbers run from 1 up. */
function pointing(deals: readonly Seeded[]): Loader {
	const link = new Schema(demoModel).type('deal').at.get('customer')!;
	const byCustomer = new Map<string, string[]>();
	deals.forEach(({ values }, i) => {
		const customer = String(values[link]);
		byCustomer.set(customer, [...(byCustomer.get(customer) ?? []), String(i + 1)]);
	});
	return {
		record: (type, id) => (type === 'deal' ? deals[Number(id) - 1].values : undefined),
		related: (type, _field, id) => (type === 'deal' ? (byCustomer.get(id) ?? []) : []),
		matching: () => []
	};
}

/** Makes the records of a type and settles each as a new one. */
function settleAll(type: string, sizes: DemoSizes, near: Loader): Seeded[] {
	const schema = new Schema(demoModel);
	const plan = compilePlan(schema, demoReleases[2].set);
	const { fields } = schema.type(type).type;
	const rnd = seeded(type.length);
	const at = new Date(MADE).toISOString();
	let number = 0;
	return [...generate(type, sizes)].map((record) => {
		const sent = new Map<string, Value>();
		for (const [id, json] of Object.entries(record)) {
			if (json === null) continue;
			const r = fromJson(schema.field(type, id)!, json, schema);
			if (!r.ok) throw new Error(r.message);
			sent.set(id, r.value);
		}
		const change = {
			records: [
				{
					type,
					id: String(++number),
					created: true,
					was: fields.map(() => null),
					sent,
					keep: new Set<string>(),
					inLine: true
				}
			],
			entryPoint: 'full' as const,
			instant: MADE,
			person: '1'
		};
		const options = { explain: true, alone: true, zones };
		const rec = settle(plan, change, near, options).records[0];
		// some records are older than the rules: their size class was picked by hand, or never
		const old =
			type === 'customer' && sent.get('trading_name') !== 'Brackwater Tulips' && rnd() < 0.04;
		const values = [...rec.values];
		const setBy: Record<string, SetBy> = {};
		for (const c of rec.changes) {
			if (!c.claim) continue;
			const report = rec.reports.find((r) => r.claim === c.claim)!;
			setBy[c.field] = {
				by: 'rule',
				name: 'Ida Faro',
				at,
				release: 3,
				claim: c.claim,
				rule: ruleOf(plan, c.claim)!.name,
				because: reason(plan, report)
			};
		}
		for (const [claim, options] of rec.added) {
			const { id } = plan.claims.get(claim)!.field;
			if (setBy[id]) setBy[id].added = { [claim]: options };
		}
		if (old) {
			values[schema.type(type).at.get('size_class')!] = rnd() < 0.5 ? null : 'large';
			delete setBy.size_class;
		}
		return { values, setBy, old };
	});
}

async function store(db: Db, type: string, records: readonly Seeded[]) {
	const { fields } = new Schema(demoModel).type(type).type;
	const at = new Date(MADE).toISOString();
	const columns = [
		'workspace',
		'settled_by',
		'set_by',
		'created_at',
		'updated_at',
		...fields.flatMap((f) => columnsFor(f, null).map((c) => c.column))
	];
	const perBatch = Math.floor(60_000 / columns.length);
	for (let from = 0; from < records.length; from += perBatch) {
		const batch = records
			.slice(from, from + perBatch)
			.map((r) => [
				DEMO_WORKSPACE,
				r.old ? null : 3,
				r.setBy,
				at,
				at,
				...fields.flatMap((f, i) => columnsFor(f, r.values[i]).map((c) => c.value))
			]);
		const rows = batch.map(
			(row, i) => `(${row.map((_, k) => `$${i * columns.length + k + 1}`).join(', ')})`
		);
		await db.query(
			`insert into ${tableOf(type)} (${columns.join(', ')}) values ${rows.join(', ')}`,
			batch.flat()
		);
	}
}
