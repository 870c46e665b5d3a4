/** What happened in the demo before it is opened: some weeks of changes that people made in forms. */
import type { EntryPoint, JsonValue } from '../src/core';
import { save } from '../src/server/records';
import { db } from '../src/server/db/pool';
import { seeded } from './generate';
import { DEMO_PEOPLE, DEMO_WORKSPACE } from './seed';

const DAY = 86_400_000;
/** Noon of the first of these days. */
const FROM = Date.UTC(2026, 9, 26, 11);
const KEY_GROWERS = 24;
const TALKED_OVER = 9;

interface Step {
	type: string;
	id: string;
	sent: [field: string, value: JsonValue][];
	entryPoint: EntryPoint;
	day: number;
}

/** The changes, in their order. The first forty records of each type stay as they were made. */
function* steps(): Generator<Step> {
	const rnd = seeded(88);
	const pick = <T>(xs: readonly T[]) => xs[Math.floor(rnd() * xs.length)];
	let day = 0;
	const step = (type: string, id: number, sent: Step['sent'], entryPoint: EntryPoint = 'full') => ({
		type,
		id: String(id),
		sent,
		entryPoint,
		day: (day += rnd() * 0.5)
	});
	for (let i = 0; i < KEY_GROWERS; i++) {
		const id = 41 + i * 7;
		yield step('customer', id, [['key_grower', i % 3 !== 0]]);
		// some of them had arranged something else, so somebody sets it by hand
		if (rnd() < 0.4) yield step('customer', id, [['service_plan', 'on_call']]);
		yield step(
			'deal',
			41 + i * 11,
			[['stage', pick(['survey', 'quotation', 'negotiation'])]],
			'short'
		);
		if (i % 4 === 0) yield step('customer', id + 3, [['season_notice', true]]);
		yield step('lead', 41 + i * 5, [['enquiry_channel', pick(['trade_fair', 'web_form'])]]);
		if (rnd() < 0.5)
			yield step('customer', id + 2, [['headcount', String(20 + Math.floor(rnd() * 60))]]);
	}
	// quotations that were talked over, and then went elsewhere or were taken
	for (let i = 0; i < TALKED_OVER; i++) {
		const id = 331 + i * 17;
		yield step('deal', id, [['stage', 'negotiation']]);
		yield step('deal', id, [['stage', i % 3 === 2 ? 'won' : 'lost']], i % 2 ? 'short' : 'full');
	}
}

/** Makes the changes as the people of the demo; those that a rule refuses are left out. */
export async function seedHistory(): Promise<number> {
	const { rows } = await db().query<{ id: string; email: string }>(
		'select id::text, email from account where workspace = $1',
		[DEMO_WORKSPACE]
	);
	const people = DEMO_PEOPLE.slice(0, 2).map((p) => ({
		id: rows.find((r) => r.email === p.email)!.id,
		name: p.name,
		person: p.person
	}));
	let made = 0;
	for (const s of steps()) {
		const account = people[made % people.length];
		const instant = FROM + Math.round(s.day * DAY);
		const sender = { workspace: DEMO_WORKSPACE, account, entryPoint: s.entryPoint, instant };
		try {
			await save(sender, [{ type: s.type, id: s.id, sent: s.sent, keep: 'touched' }]);
			made++;
		} catch (e) {
			// an old close date, say: the form would have said so, and nobody saved it
			if ((e as Error).name !== 'RefusedChange') throw e;
		}
	}
	return made;
}
