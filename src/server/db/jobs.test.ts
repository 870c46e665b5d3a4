/** Which jobs are shown: those under way whatever came since, those that ended page by page. */
import { afterAll, beforeAll, expect, it } from 'vitest';
import { freshDatabase, type Fresh } from '../../../tests/fresh';
import { JOB_KINDS, type JobsAsked } from '../../door/job-kinds';
import { endedJobs, newestJob, openJobs } from './jobs';
import { db } from './pool';

let t: Fresh;
const ALL: JobsAsked = { kind: null, by: null, before: null };
beforeAll(async () => {
	t = await freshDatabase();
	await db().query('delete from job');
	// one that was paused long ago, and 230 that ended since; several at the same instant
	await db().query(
		`insert into job (workspace, kind, title, account, input, state, queued_at)
		 values ($1, 'bulk change', 'Paused', $2, '{}', 'paused', '2026-01-01')`,
		[t.workspace, t.author.id]
	);
	await db().query(
		`insert into job (workspace, kind, title, account, input, state, queued_at, ended_at)
		 select $1, ($4::text[])[1 + n % 9], 'Job ' || n, case when n % 3 = 0 then null when n % 3 = 1 then $2::bigint else $3::bigint end,
		   '{}', 'done', timestamptz '2026-02-01' + make_interval(mins => n / 5), now() from generate_series(0, 229) n`,
		[t.workspace, t.author.id, t.admin.id, JOB_KINDS]
	);
});
afterAll(() => t.drop());

async function pages(asked: JobsAsked, most: number): Promise<string[]> {
	const out: string[] = [];
	for (let before: string | null = null; ;) {
		const page = await endedJobs(db(), t.workspace, { ...asked, before }, most);
		out.push(...page.map((j) => j.title));
		if (page.length < most) return out;
		before = page.at(-1)!.id;
	}
}

it('one under way is there, however many ended since it began', async () => {
	expect((await openJobs(db(), t.workspace)).map((j) => j.title)).toEqual(['Paused']);
	expect(await newestJob(db(), t.workspace, 'bulk change')).toMatchObject({ title: 'Paused' });
	expect(await newestJob(db(), t.workspace, 'import')).toMatchObject({ title: 'Job 225' });
	expect(await newestJob(db(), 'elsewhere', 'import')).toBeNull();
});

it('those that ended come page by page, each once', async () => {
	const all = await pages(ALL, 50);
	expect(new Set(all).size).toBe(230);
	expect(all).toHaveLength(230);
	expect(await pages(ALL, 7)).toEqual(all);
	// those that were asked for last first
	const minutes = all.map((title) => Math.floor(Number(title.split(' ')[1]) / 5));
	expect(minutes).toEqual(minutes.toSorted((a, b) => b - a));
});

it('by kind and by whom', async () => {
	const n = (title: string) => Number(title.split(' ')[1]);
	const imports = await pages({ ...ALL, kind: 'import' }, 10);
	expect(imports).toHaveLength(26);
	expect(imports.every((x) => n(x) % 9 === 0)).toBe(true);
	const nobody = await pages({ ...ALL, by: 'nobody' }, 10);
	expect(nobody).toHaveLength(77);
	expect(nobody.every((x) => n(x) % 3 === 0)).toBe(true);
	const both = await pages({ ...ALL, kind: 'replay', by: t.author.id }, 10);
	expect(both).toEqual([]);
	// a place that is gone leads nowhere, and ends nothing
	const before = '00000000-0000-4000-8000-000000000000';
	expect(await endedJobs(db(), t.workspace, { ...ALL, before }, 10)).toEqual([]);
});
