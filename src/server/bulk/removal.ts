/** Records that an import made, deleted when it is taken back: those that nobody edited or linked to since. */
import { refKey, type Schema } from '../../core';
import { editedBeside, type Bulk, type BulkOutcome } from '../db/bulk';
import type { Db } from '../db/pool';
import { relatedIds } from '../db/records';
import { deleted, refused } from './outcome';

const kept = (message: string) => refused([{ field: null, message }]);

/**
 * What would become of records that are to be deleted.
 * @param cut links that are no more by then, as `type.record.field`, and records that are gone, as `type.record`
 */
export async function removalsOf(
	db: Db,
	bulk: Bulk,
	schema: Schema,
	type: string,
	ids: readonly string[],
	cut: ReadonlySet<string> = new Set()
): Promise<Map<string, BulkOutcome>> {
	const out = new Map<string, BulkOutcome>();
	const edited = await editedBeside(db, bulk.undoesJob!, type, ids);
	for (const id of edited) out.set(id, kept('Somebody edited it since, so it is kept.'));
	for (const t of schema.model.types)
		for (const f of t.fields) {
			if (f.type !== 'link' || f.target !== type) continue;
			for (const [id, from] of await relatedIds(db, bulk.workspace, t.id, f.id, ids)) {
				const others = from.filter(
					(x) =>
						refKey(t.id, x) !== refKey(type, id) &&
						!cut.has(refKey(t.id, x)) &&
						!cut.has(`${refKey(t.id, x)}.${f.id}`)
				);
				if (!others.length || out.has(id)) continue;
				const n = others.length;
				const say =
					n === 1 ? `A ${t.label.toLowerCase()} links` : `${n} ${t.plural.toLowerCase()} link`;
				out.set(id, kept(`${say} to it by ${f.label}, so it is kept.`));
			}
		}
	for (const id of ids) if (!out.has(id)) out.set(id, deleted);
	return out;
}
