/** The small workspace of the core's tests ({@link model}) in PostgreSQL, beside the demo. */
import { createModel } from '../src/server/db/model';
import { db } from '../src/server/db/pool';
import { insertWorkspace } from '../src/server/db/workspace';
import { model } from './world';

/** Its identity. */
export const THINGS = 'things';

/** Makes it, without any record. */
export async function makeThings(): Promise<void> {
	await insertWorkspace(db(), {
		id: THINGS,
		name: 'Things',
		zone: model.zone,
		personType: 'thing',
		demo: false
	});
	await createModel(db(), THINGS, model);
}
