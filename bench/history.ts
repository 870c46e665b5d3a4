/**
 * History as it is stored, a row for each record and change, beside the same line by line: what storing it
 * takes, how large it is, and what each question that pages and issues ask of it costs. Wall time: PostgreSQL
 * does the work.
 *
 *   npm run bench -- history        RIGID_BENCH_HISTORY=1000000 for as many changes
 */
import { fileURLToPath } from 'node:url';
import { DEMO_WORKSPACE, seed } from '../demo/seed';
import { readHistory } from '../src/server/db/history';
import { alongLinks, knownOverruled, tallies } from '../src/server/db/journal';
import { journalOf } from '../src/server/db/journal-lines';
import { migrate } from '../src/server/db/migrate';
import { closeDb, db, transaction } from '../src/server/db/pool';
import { countUp } from '../src/server/db/tally';
import { median } from './measure';

const CHANGES = Number(process.env.RIGID_BENCH_HISTORY ?? 200_000);
/** Changes of one record, on average. */
const OF_ONE = 5;
const RECORDS = CHANGES / OF_ONE;

// what fills it takes longer than a request may
process.env.RIGID_DB_STATEMENT_LIMIT = '3600000';
await migrate(fileURLToPath(new URL('../db/migrations', import.meta.url)));
await transaction((c) => seed(c, { customers: 20, contacts: 5, leads: 5, deals: 5 }));

const seconds = async (work: () => Promise<unknown>) => {
	const from = performance.now();
	await work();
	return (performance.now() - from) / 1000;
};
const say = (name: string, value: string) =>
	console.log(`  ${name.padEnd(66)} ${value.padStart(12)}`);
const bytes = async (...tables: string[]) => {
	const r = await db().query<{ n: string }>(
		'select sum(pg_total_relation_size(t::regclass)) as n from unnest($1::text[]) t',
		[tables]
	);
	return Number(r.rows[0].n);
};

// a year of changes; six fields set, two of them by people, the others by rules of which one is rare; two that
// ran and wrote nothing
const RULE = `case when f < 2 then null when f = 5 and g % 1000 <> 0 then 'rule_4:o' else 'rule_' || f || ':o' end`;
console.log(`\n${CHANGES} changes of ${RECORDS} deals`);
await db().query(
	`insert into change (id, workspace, at, account, entry_point, release) overriding system value
	 select g, $1, now() - make_interval(secs => ($2::int - g) * 31536000.0 / $2::int), 1, (array['full', 'import', 'api'])[1 + g % 3], 3
	 from generate_series(1, $2::int) g`,
	[DEMO_WORKSPACE, CHANGES]
);
const line = `'set' as outcome, 'field_' || f as field, to_jsonb(g + f) as was, to_jsonb(g + f + 1) as now, ${RULE} as claim,
	case when f < 2 then null else 'Rule number ' || f end as rule_name,
	case when f < 2 then null else 'Headcount is ' || g || ', which is in the band from 50 to 250' end as because`;
const by_line = await seconds(async () => {
	await db().query(
		`insert into change_line (change, type, record, field, was, now, claim, rule_name, because, outcome)
		 select g, 'deal', 1 + g % ${RECORDS}, field, was, now, claim, rule_name, because, outcome
		 from generate_series(1, ${CHANGES}) g, generate_series(0, 5) f, lateral (select ${line}) l`
	);
	await db().query(
		`update change set quiet = jsonb_build_array(jsonb_build_array('deal', id, 'rule_6:o', 'same value'), jsonb_build_array('deal', id, 'rule_7:o', 'guard false'))`
	);
});
const large = await bytes('change_line', 'change');
say('line by line: stored in', `${by_line.toFixed(1)} s`);
say('              bytes of a change', (large / CHANGES).toFixed(0));
await db().query('truncate change_line');
await db().query('update change set quiet = null');
await db().query('vacuum full analyze change');
const by_record = await seconds(() =>
	db().query(
		`insert into record_change (change, type, record, marks, lines)
		 select g, 'deal', 1 + g % ${RECORDS}, array['rule_2', 'rule_3', 'rule_4', '~rule_6', '~rule_7'] || case when g % 1000 = 0 then array['rule_5'] else '{}' end,
		        (select jsonb_agg(jsonb_build_array(outcome, field, was, now, claim, rule_name, because, 'r ' || g || ' rule_2:o')) from generate_series(0, 5) f, lateral (select ${line}) l)
		        || jsonb_build_array(jsonb_build_array('same value', null, null, null, 'rule_6:o'), jsonb_build_array('guard false', null, null, null, 'rule_7:o'))
		 from generate_series(1, ${CHANGES}) g`
	)
);
const small = await bytes('record_change', 'change');
say('by record:    stored in', `${by_record.toFixed(1)} s`);
say('              bytes of a change', (small / CHANGES).toFixed(0));
console.log(
	`  → line by line / by record: ${(by_line / by_record).toFixed(1)} in time, ${(large / small).toFixed(2)} in bytes\n`
);
await db().query('vacuum analyze record_change');

console.log('What is asked of it, median of several');
const ask = async (name: string, times: number, work: (i: number) => Promise<unknown>) => {
	const all: number[] = [];
	for (let i = 0; i < times; i++) all.push((await seconds(() => work(i))) * 1000);
	say(name, `${median(all).toFixed(1)} ms`);
};
const w = DEMO_WORKSPACE;
const monthAgo = new Date(Date.now() - 30 * 86_400_000).toISOString();
await ask('the history of a record', 31, (i) =>
	readHistory(db(), w, 'deal', String(1 + ((i * 7919) % RECORDS)))
);
await ask('the journal of a rule that writes at each change', 5, () =>
	journalOf(db(), w, { rule: 'rule_2' })
);
await ask('the journal of a rule that writes at one in a thousand', 5, () =>
	journalOf(db(), w, { rule: 'rule_5' })
);
await ask('its tenth page', 5, () => journalOf(db(), w, { rule: 'rule_5' }, { page: 9 }));
await ask('the journal of a rule that never ran', 5, () => journalOf(db(), w, { rule: 'rule_9' }));
await ask('what a change reached', 31, (i) =>
	alongLinks(db(), [String(1 + ((i * 7919) % CHANGES))], { type: 'deal', id: '0' })
);
await ask('what all rules did in 30 days, before it is counted up', 1, () =>
	tallies(db(), w, monthAgo)
);
const aged = () => db().query("update tally_state set seen_at = seen_at - interval '2 minutes'");
const up = await seconds(async () => {
	await countUp(w);
	await aged();
	await countUp(w);
	await aged();
	while (await countUp(w));
	// hours of long ago are folded into days
	await aged();
	await countUp(w);
});
say('counting up, for each change', `${((up / CHANGES) * 1e6).toFixed(0)} µs`);
await ask('what all rules did in 30 days', 5, () => tallies(db(), w, monthAgo));
await ask('what all rules did in a year', 5, () =>
	tallies(db(), w, new Date(Date.now() - 365 * 86_400_000).toISOString())
);
await ask('what people overruled in 90 days', 5, () => knownOverruled(db(), w));
const FIELD = `select 1 from jsonb_array_elements(h.lines) q where q->>0 = 'set' and q->>1 = 'field_2'`;
await ask('records of which a field changed in a week', 3, () =>
	db().query(
		`select count(distinct h.record) from change c join record_change h on h.change = c.id
		 where c.workspace = $1 and c.at >= now() - interval '7 days' and h.type = 'deal' and exists (${FIELD})`,
		[w]
	)
);
await ask('the first 50 records of which a field was something else before', 3, () =>
	db().query(
		`select id, (select q->2 from record_change h, jsonb_array_elements(h.lines) q
		   where h.type = 'deal' and h.record = r.id and q->>0 = 'set' and q->>1 = 'field_2' order by h.change desc limit 1) as before
		 from generate_series(1, 50) r(id)`
	)
);
await closeDb();
