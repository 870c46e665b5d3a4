import { error } from '@sveltejs/kit';
import { BadInput } from '$door';
import { backOfImport } from '$server/db/bulk';
import { readRows, sameFile, tallyRows, type RowOutcome } from '$server/db/imports';
import { isUuid, readJob } from '$server/db/jobs';
import { readPastFields } from '$server/db/model';
import { db } from '$server/db/pool';
import { formAction, refuse } from '$server/http/forms';
import { allow } from '$server/http/guard';
import { MOST_TRIED } from '$server/imports/dry-run';
import { BegunAlready, begin, importOf } from '$server/imports/imports';
import { columnChoices, type Settings } from '$server/imports/rows';
import { inForce, keysOf } from '$server/records';
import { titlesOf } from '$server/db/records';
import type { Actions, PageServerLoad } from './$types';

const SIZE = 100;
const IS = ['created', 'changed', 'same', 'refused'] as const;

async function needed(workspace: string, id: string) {
	const file = isUuid(id) ? await importOf(workspace, id) : null;
	return file ?? error(404, 'There is no such file taken in.');
}

interface Offered {
	value: string;
}
/** What is chosen, of what there still is: fields may have been removed since. */
const chosen = (s: Settings, choices: readonly Offered[], keys: readonly Offered[]): Settings => {
	const there = (of: readonly Offered[], value: string) => of.some((x) => x.value === value);
	return {
		...s,
		columns: s.columns.map((c) => (there(choices, c) ? c : '')),
		keep: s.keep.filter((f) => there(choices, f)),
		by: s.by && there(keys, s.by) ? s.by : null
	};
};

export const load: PageServerLoad = async (event) => {
	const { workspace } = allow(event);
	event.depends('app:import');
	const file = await needed(workspace, event.params.id);
	const { schema } = await inForce(db(), workspace);
	if (!schema.types.has(file.type)) error(404, 'The record type of this file is gone.');
	const q = event.url.searchParams;
	const column = file.job ? ('outcome' as const) : ('dry' as const);
	const is = IS.find((x) => x === q.get('is')) ?? null;
	const after = Number(/^\d{1,7}$/.exec(q.get('after') ?? '')?.[0] ?? 0);
	const rows = await readRows(db(), file.id, { column, is, after, most: SIZE + 1 });
	const ids = rows.flatMap((r) => (r.outcome?.id ? [r.outcome.id] : []));
	const choices = columnChoices(schema, file.type);
	const keys = keysOf(schema, file.type).map((f) => ({ value: f.id, label: f.label }));
	return {
		file,
		settings: chosen(file.settings as Settings, choices, keys),
		past: (await readPastFields(db(), workspace)).filter((p) => p.type === file.type),
		choices,
		keys,
		job: file.job ? await readJob(db(), file.job) : null,
		back: file.job ? await backOfImport(db(), file.id) : null,
		dryRun: file.dryRun ? await readJob(db(), file.dryRun) : null,
		twice: file.job ? [] : await sameFile(db(), file),
		tally: await tallyRows(db(), file.id, column),
		is,
		after,
		rows: rows.slice(0, SIZE),
		more: rows.length > SIZE ? rows[SIZE - 1].line : null,
		titles: Object.fromEntries(
			await titlesOf(db(), schema, workspace, file.type, [...new Set(ids)])
		),
		mostTried: MOST_TRIED
	};
};

/** The event that every action of this page gets. */
type On = Parameters<NonNullable<Actions[string]>>[0];
export type { RowOutcome };

const beginning = (what: 'dry run' | 'import') =>
	formAction('import', async (v, event: On) => {
		const by = allow(event);
		const file = await needed(by.workspace, event.params.id!);
		const settings: Settings = {
			columns: v.columns.split('\n'),
			keep: v.keep ? v.keep.split(' ') : [],
			by: v.by || null,
			mode: v.mode
		};
		if (what === 'import' && !v.again && (await sameFile(db(), file)).length)
			refuse('again', 'This very file was imported before. Say that it is to be imported again.');
		try {
			await begin(by, file.id, what, settings);
		} catch (e) {
			if (e instanceof BadInput || e instanceof BegunAlready) refuse('columns', e.message);
			throw e;
		}
		return { done: what === 'import' ? 'The import has begun.' : 'It is being tried.' };
	});

export const actions = {
	try: beginning('dry run'),
	begin: beginning('import')
} satisfies Actions;
