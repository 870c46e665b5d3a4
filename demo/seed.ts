/** Fills an empty workspace with the demo: people, model, releases, draft, trials and records. */
import { Schema, compilePlan, keepingRows, withoutRows } from '../src/core';
import { zones } from '../src/runtime/zones';
import { createAccount, type Role } from '../src/server/people/accounts';
import { insertHook } from '../src/server/db/hooks';
import { newSecret } from '../src/server/outside/hooks';
import { createModel, indexMatched, keysToMatch, tableOf } from '../src/server/db/model';
import type { Db } from '../src/server/db/pool';
import { changeEditors } from '../src/server/db/living';
import { insertWorkspace } from '../src/server/db/workspace';
import { columnsFor } from '../src/server/db/records';
import { createRelease, replaceDraft, saveTrial } from '../src/server/db/rules';
import type { DemoSizes } from './generate';
import { DEMO_SIZES } from './generate';
import { demoModel } from './model';
import { settledRecords, type Seeded } from './records';
import { demoDraft, demoReleases, districtPostcodes } from './rules';
import { insertView } from '../src/server/db/views';
import { demoViews } from './views';
import { demoTrials } from './trials';

export const DEMO_WORKSPACE = 'quillmere';

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
	},
	{
		email: 'claire@quillmere.example',
		name: 'Claire Vauclair',
		role: 'releaser',
		person: '5',
		password: 'glasshouse-4'
	}
];

/** Seeds the demo; call it in one transaction. */
export async function seed(db: Db, sizes: DemoSizes = DEMO_SIZES): Promise<void> {
	const w = DEMO_WORKSPACE;
	// records are settled in between: on a slow machine the database would give up on whoever does that
	await db.query('set local idle_in_transaction_session_timeout = 0');
	await insertWorkspace(db, {
		id: w,
		name: 'Quillmere',
		zone: demoModel.zone,
		personType: demoModel.personType ?? null,
		demo: true
	});
	await createModel(db, w, demoModel);
	for (const p of DEMO_PEOPLE) await createAccount(db, { workspace: w, ...p });
	// an account for a program: it has tokens, and signs in nowhere
	const service = {
		name: 'Enquiry form',
		email: 'enquiry-form@service.invalid',
		role: 'author'
	} as const;
	await createAccount(db, { workspace: w, ...service, person: null, password: null });
	const ida = await db.query('select id::text from account where email = $1', [
		DEMO_PEOPLE[0].email
	]);
	const author = ida.rows[0].id as string;
	// the shop that ships with the application hears of leads and deals
	const secret = newSecret();
	const hook = { name: 'Web shop', address: null, types: ['lead', 'deal'], secret, by: author };
	await insertHook(db, w, hook);
	for (const r of demoReleases) await createRelease(db, w, r.set, demoModel, r.note, author);
	await replaceDraft(db, w, { ...demoDraft, tables: demoDraft.tables?.map(withoutRows) }, author);
	const office = await db.query<{ id: string }>('select id::text from account where email = $1', [
		'mieke@quillmere.example'
	]);
	await changeEditors(db, w, districtPostcodes.id, { add: [office.rows[0].id], remove: [] });
	// each with the rows of living tables that it was right by
	const plan = compilePlan(new Schema(demoModel), demoDraft);
	for (const t of demoTrials) await saveTrial(db, w, keepingRows(plan, t, zones));
	for (const { type, ...v } of demoViews) await insertView(db, w, type, author, v);
	for (const [type, records] of settledRecords(sizes)) await store(db, type, records);
	await indexMatched(db, compilePlan(new Schema(demoModel), demoReleases[2].set).matched);
	for (const t of demoModel.types) await indexMatched(db, keysToMatch(t));
}

/** Days in which the records of the demo were entered, one after the other: before anything happened to them. */
const ENTERED = { from: Date.UTC(2026, 0, 5, 8), to: Date.UTC(2026, 9, 23, 16) };
/** @param share of the records that were entered by then @returns ISO 8601 */
const enteredAt = (share: number) =>
	new Date(ENTERED.from + Math.round(share * (ENTERED.to - ENTERED.from))).toISOString();

async function store(db: Db, type: string, records: readonly Seeded[]) {
	const { fields } = new Schema(demoModel).type(type).type;
	const columns = [
		'workspace',
		'settled_by',
		'settled_living',
		'set_by',
		'created_at',
		'updated_at',
		...fields.flatMap((f) => columnsFor(f, null).map((c) => c.column))
	];
	const perBatch = Math.floor(60_000 / columns.length);
	for (let from = 0; from < records.length; from += perBatch) {
		const batch = records.slice(from, from + perBatch).map((r, i) => [
			DEMO_WORKSPACE,
			r.old ? null : 3,
			// the rows that release 3 brought
			r.old ? 0 : 1,
			r.setBy,
			...Array<string>(2).fill(enteredAt((from + i) / records.length)),
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
