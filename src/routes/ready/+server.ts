import { json } from '@sveltejs/kit';
import { isMigrated } from '$server/db/migrated';
import { db } from '$server/db/pool';
import { theWorkspace } from '$server/db/workspace';
import { dbTrouble } from '$server/db/trouble';
import { backgroundAt } from '$server/jobs/background';
import type { RequestHandler } from './$types';

/** How long background work may say nothing before it counts as stuck. */
const QUIET_MS = 120_000;

/** Whether the server can work: its database answers and has the shape it needs, and work goes on beside requests. */
export const GET: RequestHandler = async () => {
	const parts = { database: false, migrations: false, background: false };
	let message = '';
	let demo = false;
	try {
		parts.migrations = await isMigrated(db());
		parts.database = true;
		demo = parts.migrations && ((await theWorkspace(db()))?.demo ?? false);
	} catch (e) {
		const trouble = dbTrouble(e);
		if (!trouble) throw e;
		({ message } = trouble);
	}
	const at = backgroundAt();
	parts.background = at !== null && Date.now() - at < QUIET_MS;
	const ready = Object.values(parts).every(Boolean);
	return json(
		{ ready, ...parts, ...(demo ? { demo } : {}), ...(message ? { message } : {}) },
		{ status: ready ? 200 : 503, ...(ready ? {} : { headers: { 'retry-after': '2' } }) }
	);
};
