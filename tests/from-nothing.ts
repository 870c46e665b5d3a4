/** Stored records against settling each from nothing, the plain way: one by one, all of it read. */
import { same } from '../src/core';
import { membersAmong } from '../src/server/db/pilot';
import { db } from '../src/server/db/pool';
import { eachPiece } from '../src/server/db/records';
import { inForce } from '../src/server/records';
import { AtHand } from '../src/server/records/near';

/** The Locked fields of all records that hold something else than their rules give from nothing, as `type number field`. */
export async function lockedOtherwise(workspace: string): Promise<string[]> {
	const { plan, schema, pilot } = await inForce(db(), workspace);
	const out = new Set<string>();
	for (const { id: type } of schema.model.types) {
		const locked = plan.nodes.filter(
			(n) => n.type === type && n.claims.some((c) => c.output.hold === 'locked')
		);
		await eachPiece(db(), schema, workspace, type, async (piece) => {
			const ids = piece.map((r) => r.id);
			const members = pilot && (await membersAmong(db(), pilot.id, type, ids));
			for (const r of piece) {
				const { records } = await new AtHand(db(), workspace, schema).settle(plan, {
					records: [
						{
							type,
							id: r.id,
							created: false,
							was: r.values,
							sent: new Map(),
							keep: new Set<string>(),
							inLine: false,
							...(members?.has(r.id) ? { pilot: true } : {})
						}
					],
					entryPoint: 'bulk',
					instant: Date.now(),
					person: null
				});
				for (const n of locked)
					if (!same(records[0].values[n.index], r.values[n.index]))
						out.add(`${type} ${r.id} ${n.field.id}`);
			}
		});
	}
	return [...out].sort();
}
