import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import {
	withNewField,
	withNewOptions,
	withOption,
	withOptionAt,
	type EntryPoint
} from '../../core';
import { demoReleases } from '../../../demo/rules';
import { signIn, accountOfSession, signOut } from '../people/accounts';
import { migrate } from '../db/migrate';
import { changeModel } from '../../../tests/model';
import { readModel } from '../db/model';
import { db, transaction } from '../db/pool';
import { readHistory } from '../db/history';
import { readRecords } from '../db/records';
import {
	createRelease,
	putInForce,
	readDraft,
	readRelease,
	releaseInForce,
	rulesOf,
	hashOf
} from '../db/rules';
import { RefusedChange, inForce, save, type Submission } from '.';
import { importCsv } from '../../../tests/csv';
import { comparedWith, rehearse } from '../../../tests/rehearse';
import { freshDatabase } from '../../../tests/fresh';

let t: Awaited<ReturnType<typeof freshDatabase>>;
beforeAll(async () => {
	t = await freshDatabase();
});
afterAll(() => t.drop());

const sender = (entryPoint: EntryPoint) => ({
	workspace: t.workspace,
	account: t.author,
	entryPoint,
	instant: Date.UTC(2026, 10, 23, 9)
});
const one = async (entry: EntryPoint, s: Partial<Submission> & { sent: Submission['sent'] }) =>
	(await save(sender(entry), [{ type: 'customer', id: null, keep: [], ...s }]))[0];
const history = (id: string) => readHistory(db(), t.workspace, 'customer', id);

// EU Recommendation 2003/361/EC: staff limits below 10, 50, 250
const SIZES: [string | null, string | null][] = [
	['0', 'micro'],
	['9', 'micro'],
	['9.5', 'micro'],
	['10', 'small'],
	['11', 'small'],
	['49', 'small'],
	['50', 'medium'],
	['51', 'medium'],
	['249', 'medium'],
	['250', 'large'],
	['251', 'large'],
	['18000', 'large'],
	[null, null],
	['-1', null]
];

describe('size class by headcount', () => {
	for (const entry of ['full', 'short', 'api'] as const)
		it(`is the same through ${entry}`, async () => {
			for (const [headcount, size] of SIZES) {
				const made = await one(entry, {
					sent: [
						['trading_name', 'Windhover Herbs'],
						['headcount', headcount]
					]
				});
				expect(made.values.size_class, String(headcount)).toBe(size);
				const changed = await one(entry, { id: made.id, sent: [['headcount', '77']] });
				expect(changed.values.size_class).toBe('medium');
				const back = await one(entry, { id: made.id, sent: [['headcount', headcount]] });
				expect(back.values.size_class).toBe(size);
			}
			await expect(one(entry, { sent: [['headcount', 'fifty']] })).rejects.toThrow(
				'“fifty” is no number'
			);
		});

	it('is the same through import, row by row; a refused row harms no other', async () => {
		const csv = [
			'Trading name,Headcount',
			...SIZES.map(([h]) => `Import Roses,${h ?? ''}`),
			'Import Roses,fifty',
			'Import Roses,"18 000"'
		].join('\r\n');
		const r = await importCsv(sender('import'), 'customer', csv, []);
		if (!r.ok) throw new Error(r.message);
		expect(r.rows.slice(0, SIZES.length).map((x) => x.outcome!.values.size_class)).toEqual(
			SIZES.map(([, s]) => s)
		);
		expect(r.rows[SIZES.length]).toMatchObject({
			line: 16,
			outcome: null,
			faults: [{ message: 'Headcount: “fifty” is no number.' }]
		});
		expect(r.rows[SIZES.length + 1].outcome!.values.size_class).toBe('large');
	});
});

describe('a Locked field', () => {
	it('sent by import or API is set aside, reported and told in history', async () => {
		const made = await one('api', {
			sent: [
				['trading_name', 'Sluice Peppers'],
				['headcount', '5'],
				['size_class', 'large']
			]
		});
		expect(made.values.size_class).toBe('micro');
		expect(made.setAside).toMatchObject([
			{ field: 'size_class', sent: 'large', stands: 'micro', rule: 'Size class follows headcount' }
		]);
		const alone = await one('import', { id: made.id, sent: [['size_class', 'medium']] });
		expect(alone).toMatchObject({ changes: [], version: 1, setAside: [{ sent: 'medium' }] });
		const [last] = await history(made.id);
		expect(last).toMatchObject({
			entryPoint: 'import',
			lines: [{ field: 'size_class', outcome: 'set aside', now: 'medium' }]
		});
	});

	it('comes into line at the next change of a record from before the rule', async () => {
		const made = await one('full', {
			sent: [
				['trading_name', 'Old Harbour Roses'],
				['headcount', '5']
			]
		});
		await db().query(
			`update r_customer set f_size_class = 'large', settled_by = null where id = $1`,
			[made.id]
		);
		const saved = await one('full', { id: made.id, sent: [['turnover', '1000']], keep: 'touched' });
		expect(saved.changes.map((c) => c.field).sort()).toEqual(['size_class', 'turnover']);
	});
});

describe('history', () => {
	it('tells field, from, to, when, who, entry point, and the rule and release that caused it', async () => {
		const made = await one('full', {
			sent: [
				['trading_name', 'Lapwing Tulips'],
				['headcount', '9']
			]
		});
		await one('short', { id: made.id, sent: [['headcount', '10']], keep: 'touched' });
		const [h] = await history(made.id);
		expect(h).toMatchObject({
			who: 'Jonas Weverling',
			entryPoint: 'short',
			release: 3,
			at: '2026-11-23T09:00:00.000Z'
		});
		expect(h.lines).toMatchObject([
			{ field: 'headcount', was: '9', now: '10', claim: null },
			{
				field: 'size_class',
				was: 'micro',
				now: 'small',
				claim: 'size_class:o1',
				ruleName: 'Size class follows headcount',
				because: 'Headcount 10 is in [10..50), the second band'
			}
		]);
	});

	it('shows nothing for a change that no rule watches but the change itself, and nothing at all for no change', async () => {
		const made = await one('full', {
			sent: [
				['trading_name', 'Fenside Herbs'],
				['headcount', '9']
			]
		});
		const before = (await history(made.id)).length;
		const saved = await one('full', {
			id: made.id,
			sent: [['registered_name', 'X1']],
			keep: 'touched'
		});
		expect(saved.changes.map((c) => [c.field, c.rule])).toEqual([['registered_name', null]]);
		await one('full', {
			id: made.id,
			sent: [
				['headcount', '9.00'],
				['registered_name', ' X1 ']
			],
			keep: 'touched'
		});
		expect((await history(made.id)).length).toBe(before + 1);
		const [r] = await readRecords(
			db(),
			(await inForce(db(), t.workspace)).schema,
			t.workspace,
			'customer',
			[made.id]
		);
		expect(r.version).toBe(2);
	});
});

describe('releases', () => {
	it('a limit moved in the draft changes no record until released; then it holds on every entry point; and back', async () => {
		const draft = await readDraft(db(), t.workspace);
		const { model } = await readModel(db(), t.workspace);
		const size = async (entry: EntryPoint) =>
			(
				await one(entry, {
					sent: [
						['trading_name', 'Millrace Roses'],
						['headcount', '55']
					]
				})
			).values.size_class;
		expect(draft.set.rules.find((r) => r.id === 'size_class')!.body).not.toEqual(
			demoReleases[2].set.rules.find((r) => r.id === 'size_class')!.body
		);
		expect(await size('api')).toBe('medium');
		const number = await transaction((c) =>
			createRelease(c, t.workspace, draft.set, model, 'A test', t.author.id)
		);
		expect(number).toBe(4);
		for (const entry of ['full', 'short', 'import', 'api'] as const)
			expect(await size(entry)).toBe('small');
		await transaction((c) => putInForce(c, t.workspace, 3, t.author.id));
		expect(await releaseInForce(db(), t.workspace)).toBe(3);
		expect(await size('full')).toBe('medium');
	});

	it('never change, and equal content has an equal hash', async () => {
		await expect(db().query(`update release set note = 'x' where number = 1`)).rejects.toThrow(
			'never changes'
		);
		await expect(db().query('delete from release where number = 1')).rejects.toThrow(
			'never changes'
		);
		const doc = (await readRelease(db(), t.workspace, 3))!;
		const { rows } = await db().query('select hash from release where number = 3');
		expect(hashOf(doc)).toBe(rows[0].hash);
	});
});

describe('what is refused', () => {
	const faults = async (s: Partial<Submission> & { sent: Submission['sent'] }) => {
		try {
			await one('api', s);
		} catch (e) {
			if (e instanceof RefusedChange) return { status: e.status, faults: e.faults };
			throw e;
		}
		return null;
	};

	it('names the place and what would be right, and saves nothing', async () => {
		const count = async () =>
			(await db().query('select count(*)::int as n from r_customer')).rows[0].n;
		const before = await count();
		expect(await faults({ sent: [['headcont', '5']] })).toMatchObject({
			faults: [{ field: 'headcont' }]
		});
		expect(await faults({ sent: [['country', 'Netherland']] })).toMatchObject({
			faults: [{ message: expect.stringContaining('Did you mean “Netherlands”?') }]
		});
		expect(await faults({ sent: [['account_engineer', '99999']] })).toMatchObject({
			faults: [{ message: expect.stringContaining('no sales engineer with number 99999') }]
		});
		expect(await faults({ sent: [], keep: ['nothing'] })).toMatchObject({
			faults: [{ field: 'nothing' }]
		});
		expect(await faults({ id: '999999', sent: [] })).toMatchObject({ status: 404 });
		expect(await faults({ id: '1; drop table r_customer', sent: [] })).toMatchObject({
			status: 404
		});
		expect(await faults({ type: 'customers', sent: [] })).toMatchObject({ status: 404 });
		expect(await count()).toBe(before);
	});

	it('a save over somebody else’s shows what is stored now', async () => {
		const made = await one('full', {
			sent: [
				['trading_name', 'Heron Herbs'],
				['headcount', '9']
			]
		});
		await one('full', { id: made.id, sent: [['headcount', '12']], version: 1 });
		const second = one('full', { id: made.id, sent: [['phone', '1']], version: 1 });
		await expect(second).rejects.toMatchObject({
			status: 409,
			current: { version: 2, values: { headcount: '12' } }
		});
	});

	it('a batch is all or nothing', async () => {
		const name = 'Two Mills Batch';
		const batch = save(sender('api'), [
			{ type: 'customer', id: null, keep: [], sent: [['trading_name', name]] },
			{ type: 'customer', id: null, keep: [], sent: [['headcount', 'x']] }
		]);
		await expect(batch).rejects.toMatchObject({ index: 1 });
		expect(
			(await db().query('select 1 from r_customer where f_trading_name = $1', [name])).rowCount
		).toBe(0);
	});

	it('malformed files: each says where', async () => {
		const message = async (text: string) => {
			const r = await importCsv(sender('import'), 'customer', text, []);
			return r.ok ? null : r.message;
		};
		expect(await message('')).toContain('empty');
		expect(await message('Trading name,Heads\nA,1')).toContain('no field is called “Heads”');
		expect(await message('Trading name,Trading name\nA,B')).toContain(
			'Two columns are taken for Trading name'
		);
		expect(await message(`Trading name\n"${'x'.repeat(200_000)}`)).toMatch(/Line \d+/);
		expect(await message('Trading name\n"a" b"\n')).toMatch(/Line \d+.*quotation/);
	});

	it('keep: a Follow value in the file stands when it is kept', async () => {
		const csv = 'Trading name,Key grower,Service plan\nA,yes,On call';
		const plain = await importCsv(sender('import'), 'customer', csv, []);
		const kept = await importCsv(sender('import'), 'customer', csv, ['service_plan']);
		expect(plain.ok && plain.rows[0].outcome!.values.service_plan).toBe('full_care');
		expect(kept.ok && kept.rows[0].outcome!.values.service_plan).toBe('on_call');
	});
});

describe('a release while a form is open', () => {
	it('shows where the one in force decides otherwise before it saves; else it saves', async () => {
		const set = demoReleases[2].set;
		const moved = {
			...set,
			rules: set.rules.map((r) =>
				r.id === 'size_class' && r.body.kind === 'bands'
					? {
							...r,
							body: {
								...r.body,
								limits: r.body.limits.map((l) => (l.at === '50' ? { ...l, at: '70' } : l))
							}
						}
					: r
			)
		};
		const { model } = await readModel(db(), t.workspace);
		const before = await releaseInForce(db(), t.workspace);
		const made = await one('full', { sent: [['headcount', '10']] });
		const number = await transaction((c) =>
			createRelease(c, t.workspace, moved, model, 'moved', t.author.id)
		);
		const submit = (headcount: string, release: number) =>
			one('full', { id: made.id, sent: [['headcount', headcount]], keep: 'touched', release });
		// the form ran the release before: 60 was Medium there and is Small now
		await expect(submit('60', before)).rejects.toMatchObject({
			status: 409,
			otherwise: {
				release: number,
				differences: [{ field: 'size_class', shown: 'medium', now: 'small' }]
			}
		});
		expect((await submit('20', before)).values.size_class).toBe('small');
		expect((await submit('60', number)).values.size_class).toBe('small');
		await transaction((c) => putInForce(c, t.workspace, before, t.author.id));
	});
});

describe('sets that rules add to', () => {
	it('remember in the record what each rule added: a permit given by hand outlives its country', async () => {
		const made = await one('api', {
			sent: [
				['country', 'netherlands'],
				['permitted_fuels', ['wood_chips']]
			]
		});
		expect(made.values.permitted_fuels).toEqual(
			expect.arrayContaining(['wood_chips', 'natural_gas', 'geothermal'])
		);
		const german = await one('api', { id: made.id, sent: [['country', 'germany']] });
		// Germany gives wood chips too; the one given by hand is still the hand's when Germany goes
		const polish = await one('api', { id: made.id, sent: [['country', 'netherlands']] });
		expect(german.values.permitted_fuels).toEqual(expect.arrayContaining(['wood_chips', 'biogas']));
		expect(polish.values.permitted_fuels).toContain('wood_chips');
		expect(polish.values.permitted_fuels).not.toContain('biogas');
	});
});

describe('codes of options', () => {
	it('are taken by import and API where an identity or label is', async () => {
		expect((await one('api', { sent: [['country', 'DK']] })).values.country).toBe('denmark');
		expect((await one('import', { sent: [['country', 'PL']] })).values.currency).toBe('pln');
	});
});

describe('definitions and tables of the draft', () => {
	it('travel with a release and come back as the draft', async () => {
		const doc = (await readRelease(db(), t.workspace, 3))!;
		expect(rulesOf(doc).tables!.map((x) => x.id)).toEqual([
			'country_desk',
			'district_postcodes',
			'channel_desk'
		]);
		expect(rulesOf(doc).definitions!.map((d) => d.name)).toContain('Share left');
	});
});

describe('the model as data', () => {
	it('has options in the order they were put in, by two people at one moment too', async () => {
		const order = async () =>
			(await readModel(db(), t.workspace)).model.lists
				.find((l) => l.id === 'country')!
				.options.map((o) => o.id);
		const before = await order();
		const put = (id: string, to: number) =>
			changeModel(t.author, (m) => withOptionAt(m, 'country', id, to));
		await put(before[2], 0);
		expect(await order()).toEqual([before[2], before[0], before[1], ...before.slice(3)]);
		// far beyond the end is the end
		await put(before[2], 10_000);
		expect((await order()).at(-1)).toBe(before[2]);
		// both saw the same list: the second hears that it changed, and nothing is lost
		const two = await Promise.allSettled([put(before[0], 2), put(before[1], 4)]);
		expect(two.map((x) => x.status)).toContain('fulfilled');
		for (const x of two)
			if (x.status === 'rejected') expect(String(x.reason)).toContain('Somebody else changed');
		expect([...(await order())].sort()).toEqual([...before].sort());
		await put('no_such', 0);
		for (const [i, id] of before.entries()) await put(id, i);
		expect(await order()).toEqual(before);
	});
	it('gets a field and an option; the release in force goes on; retiring stops choosing anew', async () => {
		const colour = { label: 'Colour', group: 'Identity', type: 'text' } as const;
		await changeModel(t.author, (m) => withNewField(m, 'customer', colour)[0]);
		await changeModel(t.author, (m) => withNewOptions(m, 'country', ['Austria']));
		const made = await one('api', {
			sent: [
				['trading_name', 'Reedbank'],
				['colour', 'green'],
				['country', 'Austria'],
				['headcount', '50']
			]
		});
		expect(made.values).toMatchObject({
			colour: 'green',
			country: 'austria',
			size_class: 'medium',
			trading_region: null
		});
		await changeModel(t.author, (m) =>
			withOption(m, 'country', 'austria', { retired: true, code: 'AT' })
		);
		await expect(one('api', { sent: [['country', 'Austria']] })).rejects.toThrow('retired');
		expect(
			(
				await one('api', {
					id: made.id,
					sent: [
						['country', 'austria'],
						['headcount', '5']
					]
				})
			).values.size_class
		).toBe('micro');
	});

	it('migrations run once', async () => {
		expect(await migrate(t.migrations)).toEqual([]);
	});
});

describe('rehearsal', () => {
	it('counts what the draft would change, as SQL does', async () => {
		const { schema, plan } = await inForce(db(), t.workspace);
		const draft = await readDraft(db(), t.workspace);
		const compared = comparedWith(schema, plan, draft.set, Date.now());
		const { result: r } = await rehearse(db(), t.workspace, compared);
		const sql = await db().query(
			'select count(*)::int as n from r_customer where f_headcount >= 50 and f_headcount < 60'
		);
		expect(r.fields.find((f) => f.field === 'size_class')?.count ?? 0).toBe(sql.rows[0].n);
		const visits = await db().query(
			'select count(*)::int as n from r_customer where f_glass_area is not null and not (f_glass_area >= 10000 and f_glass_area < 12000)'
		);
		expect(r.fields.find((f) => f.field === 'service_visits_a_year')!.count).toBe(visits.rows[0].n);
	});
});

describe('fifty writers at once', () => {
	it('lose no update', async () => {
		const made = await one('full', {
			sent: [
				['trading_name', 'Busy Tomatoes'],
				['headcount', '1']
			]
		});
		await Promise.all(
			Array.from({ length: 50 }, (_, i) =>
				one('api', { id: made.id, sent: [['turnover', String(i)]] })
			)
		);
		const [r] = await readRecords(
			db(),
			(await inForce(db(), t.workspace)).schema,
			t.workspace,
			'customer',
			[made.id]
		);
		const lines = (await history(made.id)).length;
		expect(r.version).toBe(lines);
	});
});

describe('signing in', () => {
	it('opens a session, and ends it', async () => {
		const p = t.people[0];
		const r = await signIn(p.email.toUpperCase(), p.password, '10.0.0.1');
		if (!r.ok) throw new Error(r.message);
		expect(await accountOfSession(db(), r.token)).toMatchObject({
			role: 'administrator',
			name: 'Ida Faro',
			person: '1'
		});
		await signOut(t.admin, r.token);
		expect(await accountOfSession(db(), r.token)).toBeNull();
		expect(
			(await db().query('select password from account where not service')).rows.every((x) =>
				x.password.startsWith('scrypt$')
			)
		).toBe(true);
	});
});
