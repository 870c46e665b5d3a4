import { error } from '@sveltejs/kit';
import { LocalDate } from '$core';
import { BadInput } from '$door';
import { journalAsked, type JournalAsked } from '$door/journal';
import { journalDays, journalOf } from '$server/db/journal-lines';
import { readPastFields } from '$server/db/model';
import { listAccounts } from '$server/db/people';
import { db, limited } from '$server/db/pool';
import { historyFrom } from '$server/db/retention';
import { inForce } from '$server/records';
import { titlesOfLines } from '$server/records/view';
import { allow } from '$server/http/guard';
import { dayAfter } from '../../../../runtime/days';
import { dayIn, startOfDay } from '../../../../runtime/format';
import type { PageServerLoad } from './$types';

const SIZE = 50;
/** How long the lines, and counting them by the day, may take. */
const LINES_MS = 8_000;
const DAYS_MS = 3_000;
/** Days that are counted where no others are asked. */
const DAYS = 30;
/** Most days that are drawn. */
const MOST_DAYS = 366;

export const load: PageServerLoad = async (event) => {
	const { workspace } = allow(event);
	const q = event.url.searchParams;
	const page = Math.min(400, Math.max(0, Math.floor(Number(q.get('page')) || 0)));
	let asked: JournalAsked;
	try {
		asked = journalAsked(event.params.rule, q);
	} catch (e) {
		if (e instanceof BadInput) error(400, e.message);
		throw e;
	}
	const { schema } = await inForce(db(), workspace);
	const { zone } = schema.model;
	const between = {
		from: asked.from && startOfDay(LocalDate.parse(asked.from)!, zone),
		before: asked.to && startOfDay(dayAfter(LocalDate.parse(asked.to)!), zone)
	};
	const today = dayIn(new Date().toISOString(), zone)!;
	const last = LocalDate.parse(asked.to ?? today)!;
	const first = asked.from ?? before(last, DAYS - 1);
	const counted = last.epochDay - LocalDate.parse(first)!.epochDay < MOST_DAYS && !asked.change;
	const [lines, days, past, people, from] = await Promise.all([
		limited(LINES_MS, (c) => journalOf(c, workspace, asked, { page, size: SIZE + 1, between })),
		counted
			? limited(DAYS_MS, (c) =>
					journalDays(
						c,
						workspace,
						asked,
						{
							from: startOfDay(LocalDate.parse(first)!, zone),
							before: startOfDay(dayAfter(last), zone)
						},
						zone
					)
				)
			: null,
		readPastFields(db(), workspace),
		listAccounts(db(), workspace),
		historyFrom(db(), workspace)
	]);
	const shown = lines?.slice(0, SIZE) ?? null;
	return {
		asked,
		page,
		today,
		/** Null where it takes too long. */
		lines: shown,
		more: (lines?.length ?? 0) > SIZE,
		/** From when on history is whole, ISO 8601, where something from before is asked for. */
		knownFrom:
			from && !asked.change && (!between.from || Date.parse(between.from) < Date.parse(from))
				? from
				: null,
		/** Null where they were not counted: too many days, or it takes too long. */
		days,
		counts: { first, last: last.toString(), asked: counted },
		past,
		people: people.map(({ id, name, retired }) => ({ id, name, retired: !!retired })),
		links: await titlesOfLines(workspace, schema, shown ?? [])
	};
};

const before = (day: LocalDate, n: number) => LocalDate.fromEpochDay(day.epochDay - n)!.toString();
