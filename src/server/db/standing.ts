/** What decides at a moment, by its numbers. */
import type { RowsState } from './living';
import type { PilotOn } from './pilot';
import type { Db } from './pool';

/** The release in force, 0 for none, the model, the rows of living tables and the pilot that is on. */
export interface Standing {
	release: number;
	/** Grows with every change of the model; 0 for a workspace that is not there. */
	modelRevision: number;
	living: RowsState;
	pilot: PilotOn | null;
}

/** Read by one statement: what comes in force with one another is seen together, or not yet. */
export async function standing(db: Db, workspace: string): Promise<Standing> {
	const r = await db.query<{
		release: number;
		revision: number;
		number: number;
		mark: string;
		pilot: string | null;
		pilot_release: number;
		version: number;
	}>(
		`select coalesce((select release from in_force where workspace = $1), 0) as release,
		        coalesce((select model_revision from workspace where id = $1), 0) as revision,
		        coalesce(l.number, 0) as number, coalesce(l.mark::text, '') as mark,
		        p.id::text as pilot, p.release as pilot_release, p.version
		 from (values (1)) one
		 left join (select number, mark from living_edit where workspace = $1 order by number desc limit 1) l on true
		 left join pilot p on p.workspace = $1 and p.ended_at is null`,
		[workspace]
	);
	const [{ release, revision, number, mark, pilot, pilot_release, version }] = r.rows;
	return {
		release,
		modelRevision: revision,
		living: { number, mark },
		pilot: pilot === null ? null : { id: pilot, release: pilot_release, version }
	};
}
