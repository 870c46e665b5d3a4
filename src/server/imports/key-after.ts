/**
 * What rules make of the key of rows. An import finds records by what is stored of them, and a rule may store
 * another key than the one that was sent: cleaned, in capitals, put together.
 */
import { settle, type Loader, type Settled, type Value } from '../../core';
import { zones } from '../../runtime/zones';
import type { Db } from '../db/pool';
import type { InForce, Sender } from '../records';
import { AtHand } from '../records/near';

/** The key of each row, were it a new record. */
export type KeyAfter = (rows: readonly ReadonlyMap<string, Value>[]) => Promise<Value[]>;

/** Null where no rule in force writes the key: it is stored as it is sent. */
export function keyAfterRules(
	db: Db,
	{ plan, schema }: InForce,
	sender: Sender,
	type: string,
	by: string | null
): KeyAfter | null {
	if (by === null || !plan.types.get(type)?.nodes.some((n) => plan.nodes[n].field.id === by))
		return null;
	const { at, type: own } = schema.type(type);
	const made = (sent: ReadonlyMap<string, Value>, loader: Loader): Settled =>
		settle(
			plan,
			{
				records: [
					{
						type,
						id: 'new',
						created: true,
						was: own.fields.map(() => null),
						sent: new Map([...sent].filter(([, v]) => v !== null)),
						keep: new Set(),
						inLine: false,
						added: new Map()
					}
				],
				entryPoint: 'import',
				instant: sender.instant,
				person: sender.account?.person ?? null,
				onRequest: false
			},
			loader,
			{ zones }
		);
	return async (rows) => {
		const near = new AtHand(db, sender.workspace, schema);
		await near.fill((loader) => rows.flatMap((r) => made(r, loader).needs));
		return rows.map((r) => made(r, near.loader).records[0].values[at.get(by)!]);
	};
}
