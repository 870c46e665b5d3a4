/** How the values of a field lie over the records that exist. */
import type { Field } from '../../core';
import { MOST_STRETCHES, type Distribution } from '../../door/distribution';
import { columnOf, tableOf } from './model';
import type { Db } from './pool';

/** Of a field of numbers or dates. @param most stretches, from which on values that lie together are counted together */
export async function distributionOf(
	db: Db,
	workspace: string,
	type: string,
	f: Field,
	most = MOST_STRETCHES
): Promise<Distribution> {
	const value = f.type === 'date' ? `${columnOf(f.id)} - date '1970-01-01'` : columnOf(f.id);
	// equal values are one row of `held`, so a stretch ends between values; by the records that lie below it, one of many records ends it
	const { rows } = await db.query<{ least: number | null; greatest: number; records: number }>(
		`with held as (select ${value} as v, count(*) as n from ${tableOf(type)} where workspace = $1 group by 1),
		      placed as (
			select v, n, case when count(*) over () > $2
				then (sum(n) over (order by v) - n) * $2 / sum(n) over ()
				else row_number() over (order by v) end as place
			from held where v is not null)
		 select min(v)::float8 as least, max(v)::float8 as greatest, sum(n)::int as records
		 from placed group by floor(place)
		 union all select null, null, n::int from held where v is null
		 order by 1 nulls last`,
		[workspace, most]
	);
	const last = rows.at(-1);
	const blank = last?.least === null ? rows.pop()!.records : 0;
	return {
		stretches: rows.map((r) => [r.least!, r.greatest, r.records] as const),
		blank
	};
}
