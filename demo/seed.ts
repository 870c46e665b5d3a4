/** Fills an empty workspace with the demo: people, model, releases, draft, trials and records. */
import type { JsonValue } from '../src/core/model/codec';
import { fromJson, toJson } from '../src/core/model/codec';
import { Schema } from '../src/core/model/model';
import { compilePlan, ruleOf } from '../src/core/plan/plan';
import { settle } from '../src/core/settle/settle';
import { reason } from '../src/core/settle/reason';
import { NOTHING_ELSE } from '../src/core/trials/trials';
import type { Value } from '../src/core/value/value';
import { zones } from '../src/runtime/zones';
import { createAccount, type Role } from '../src/server/accounts';
import { columnOf, createModel, tableOf } from '../src/server/db/model';
import type { Db } from '../src/server/db/pool';
import type { SetBy } from '../src/server/db/records';
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
	for (const type of ['engineer', 'district', 'customer', 'contact', 'lead', 'deal'])
		await seedRecords(db, type, sizes);
}

async function seedRecords(db: Db, type: string, sizes: DemoSizes) {
	const schema = new Schema(demoModel);
	const plan = compilePlan(schema, demoReleases[2].set);
	const { fields } = schema.type(type).type;
	const rnd = seeded(type.length);
	const at = new Date(MADE).toISOString();
	let batch: unknown[][] = [];
	const columns = [
		'workspace',
		'settled_by',
		'set_by',
		'created_at',
		'updated_at',
		...fields.map((f) => columnOf(f.id))
	];
	const perBatch = Math.floor(60_000 / columns.length);
	const flush = async () => {
		if (!batch.length) return;
		const rows = batch.map(
			(row, i) => `(${row.map((_, k) => `$${i * columns.length + k + 1}`).join(', ')})`
		);
		await db.query(
			`insert into ${tableOf(type)} (${columns.join(', ')}) values ${rows.join(', ')}`,
			batch.flat()
		);
		batch = [];
	};
	for (const record of generate(type, sizes)) {
		const sent = new Map<string, Value>();
		for (const [id, json] of Object.entries(record)) {
			if (json === null) continue;
			const r = fromJson(schema.field(type, id)!, json, schema);
			if (!r.ok) throw new Error(r.message);
			sent.set(id, r.value);
		}
		const was = fields.map(() => null);
		const change = {
			records: [
				{ type, id: 'new', created: true, was, sent, keep: new Set<string>(), inLine: true }
			],
			entryPoint: 'full' as const,
			instant: MADE,
			person: '1'
		};
		const rec = settle(plan, change, NOTHING_ELSE, { explain: true, zones }).records[0];
		// some records are older than the rules: their size class was picked by hand, or never
		const old =
			type === 'customer' && sent.get('trading_name') !== 'Brackwater Tulips' && rnd() < 0.04;
		const setBy: Record<string, SetBy> = {};
		const json: JsonValue[] = rec.values.map(toJson);
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
		if (old) {
			json[schema.type(type).at.get('size_class')!] = rnd() < 0.5 ? null : 'large';
			delete setBy.size_class;
		}
		batch.push([DEMO_WORKSPACE, old ? null : 3, setBy, at, at, ...json]);
		if (batch.length >= perBatch) await flush();
	}
	await flush();
}
