/** Fills an empty workspace with the demo: people, model, releases, draft, trials and records. */
import type { Format, Loader, MatchHow, MatchKey, Value } from '../src/core';
import {
	Schema,
	compilePlan,
	fromJson,
	matchKey,
	reason,
	ruleOf,
	settle,
	toJson
} from '../src/core';
import { formatValue } from '../src/runtime/format';
import { zones } from '../src/runtime/zones';
import { createAccount, type Role } from '../src/server/people/accounts';
import { createModel, indexMatched, keysToMatch, tableOf } from '../src/server/db/model';
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
	// customers roll deals up and deals read their customers, so customers are settled twice
	const near = new SeededNear();
	for (const type of ['engineer', 'district', 'customer'])
		near.put(type, settleAll(type, sizes, near));
	near.put('deal', settleAll('deal', sizes, near));
	near.put('customer', settleAll('customer', sizes, near));
	near.put('deal', settleAll('deal', sizes, near));
	for (const type of ['engineer', 'district', 'customer', 'deal'])
		await store(db, type, near.of(type));
	for (const type of ['contact', 'lead']) await store(db, type, settleAll(type, sizes, near));
	await indexMatched(db, compilePlan(new Schema(demoModel), demoReleases[2].set).matched);
	for (const t of demoModel.types) await indexMatched(db, keysToMatch(t));
}

interface Seeded {
	values: readonly Value[];
	setBy: Record<string, SetBy>;
	/** From before the rules: nothing settled it. */
	old: boolean;
}

/** What is settled so far, at hand for what is settled next. Numbers run from 1 up. */
class SeededNear implements Loader {
	private readonly schema = new Schema(demoModel);
	private readonly records = new Map<string, readonly Seeded[]>();
	/** By field and how it is matched, then by key. */
	private readonly indexes = new Map<string, Map<string, string[]>>();

	put(type: string, records: readonly Seeded[]) {
		this.records.set(type, records);
		for (const key of this.indexes.keys()) if (key.startsWith(`${type}.`)) this.indexes.delete(key);
	}
	of(type: string): readonly Seeded[] {
		return this.records.get(type) ?? [];
	}
	record(type: string, id: string) {
		return this.of(type)[Number(id) - 1]?.values ?? null;
	}
	related(type: string, field: string, id: string) {
		return this.index(type, field, 'exact').get(id) ?? [];
	}
	matching(type: string, [key]: readonly MatchKey[]) {
		return this.index(type, key.field, key.how).get(key.key) ?? [];
	}

	private index(type: string, field: string, how: MatchHow): Map<string, string[]> {
		const name = `${type}.${field} ${how}`;
		const had = this.indexes.get(name);
		if (had) return had;
		const at = this.schema.type(type).at.get(field)!;
		const made = new Map<string, string[]>();
		this.of(type).forEach(({ values }, i) => {
			const key = matchKey(how, values[at]);
			if (key !== null) made.set(key, [...(made.get(key) ?? []), String(i + 1)]);
		});
		this.indexes.set(name, made);
		return made;
	}
}

/** Makes the records of a type and settles each as a new one. */
function settleAll(type: string, sizes: DemoSizes, near: Loader): Seeded[] {
	const schema = new Schema(demoModel);
	const plan = compilePlan(schema, demoReleases[2].set);
	const { fields } = schema.type(type).type;
	/** Values as history tells them: records by their titles. */
	const format: Format = (ref, v) => {
		const f = schema.field(ref.type, ref.field);
		if (v === null || !f) return 'blank';
		const target = f.type === 'link' && typeof v === 'string' ? schema.type(f.target!) : null;
		const title =
			target && near.record(f.target!, v as string)?.[target.at.get(target.type.title)!];
		return title ? String(toJson(title)) : formatValue(f, toJson(v), schema);
	};
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
				because: reason(plan, report, format)
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
