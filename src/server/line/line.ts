/** The standing list of what is out of line: counted by field, shown with reasons, left as it is, taken up again. */
import { BadInput } from '../../door';
import type { LineAsked, LineStep } from '../../door/line';
import { note } from '../audit/audit';
import { newestJob, type Job } from '../db/jobs';
import {
	countLine,
	leaveLine,
	lineOfRecord,
	readLine,
	type RecordLine,
	type LineCount,
	type SeenLine
} from '../db/line';
import type { Account } from '../db/people';
import { db, transaction } from '../db/pool';
import { queueLine } from '../jobs/line';
import { dbTrouble } from '../db/trouble';
import { inForce } from '../records';
import { keepFound, lineNow } from './lined';

/** Rows of a page of the list. */
const SIZE = 50;

/** A value out of line as it is shown. */
export interface ShownLine extends SeenLine {
	because: string | null;
}

/** Values of a field out of line, looked at again while they are shown: what is seen is so now. */
export async function lineShown(
	workspace: string,
	{ type, field, is }: Omit<LineAsked, 'ids'>,
	after: string
): Promise<{ rows: ShownLine[]; next: string | null }> {
	const force = await inForce(db(), workspace);
	const known = force.schema.types.get(type);
	if (!known || !known.at.has(field)) return { rows: [], next: null };
	const asked = { type, title: known.type.title, field, is, after };
	const listed = await readLine(db(), workspace, { ...asked, most: SIZE + 1 });
	const some = listed.slice(0, SIZE).map((r) => r.record);
	const last = some.at(-1);
	if (!last) return { rows: [], next: null };
	const found = await lineNow(db(), workspace, force, type, some);
	try {
		await keepFound(db(), workspace, force, type, some, found);
	} catch (e) {
		// with a full disk, say, it can be read all the same
		if (!dbTrouble(e)) throw e;
	}
	const now = new Map(found.flatMap((r) => (r.field === field ? [[r.record, r]] : [])));
	const rows = await readLine(db(), workspace, { ...asked, most: SIZE });
	return {
		rows: rows.flatMap((r) => {
			const is = now.get(r.record);
			return is ? [{ ...r, result: is.result, because: is.because }] : [];
		}),
		next: listed.length > SIZE ? last : null
	};
}

/** How many values are out of line, by field and claim. */
export const lineCounts = (workspace: string): Promise<LineCount[]> => countLine(db(), workspace);

/** The look that is under way, or else the newest; null when there was none, as far as is kept. */
export const newestLook = (workspace: string): Promise<Job | null> =>
	newestJob(db(), workspace, 'out-of-line look');

/** What of a record is listed as out of line, as it is now. */
export async function lineOfOne(
	workspace: string,
	type: string,
	id: string
): Promise<RecordLine[]> {
	const found = await lineOfRecord(db(), workspace, type, id);
	if (!found.length) return [];
	const force = await inForce(db(), workspace);
	const now = await lineNow(db(), workspace, force, type, [id]);
	return found.flatMap((f) => {
		const is = now.find((x) => x.field === f.field);
		// what was left is taken up again when it would be something else
		const same = JSON.stringify(is?.result) === JSON.stringify(f.result);
		return is ? [{ ...f, ...is, left: same ? f.left : null }] : [];
	});
}

/** Leaves values as they are with a reason, takes them up again, or looks at everything anew. @throws {BadInput} */
export async function lineStep(
	by: Account,
	asked: LineStep
): Promise<{ n?: number; job?: string | null }> {
	const { workspace } = by;
	if (asked.step === 'look') return { job: await queueLine(workspace, by.id) };
	return transaction(async (c) => {
		const { schema } = await inForce(c, workspace);
		const { type, field, is, ids } = asked;
		const f = schema.types.has(type) ? schema.field(type, field) : undefined;
		if (!f) throw new BadInput(`There is no field “${field}” that can be out of line.`);
		const why = asked.step === 'leave' ? asked.why : null;
		const n = await leaveLine(c, workspace, { type, field, ids, is, why, account: by.id });
		if (!n) throw new BadInput('None of them is as you saw it any more. Look at the list again.');
		await note(
			c,
			by,
			why === null ? 'took up again what was left out of line' : 'left values out of line',
			`${schema.type(type).type.plural}: ${f.label}`,
			{
				values: n,
				...(why === null ? {} : { why }),
				...(ids ? { records: ids.slice(0, 100) } : {})
			}
		);
		return { n };
	});
}
