/** Edits of the draft as the pages send them: pieces that apply where what they found still stands. */
import type { Piece, ReferenceTable } from '../../core';
import { applied, partName, touched } from '../../core';
import { BadInput, checkDefinition, checkOrder, checkRule, checkTable } from '../../door';
import type { PoolClient } from 'pg';
import { note } from '../audit/audit';
import type { Account } from '../db/people';
import {
	lockDraft,
	placeRules,
	putOrder,
	putPart,
	putRule,
	readDraft,
	readRelease,
	releaseInForce,
	removePart,
	removeRule
} from '../db/rules';
import { counted, revisionOf, type Step } from './revision';

/** A piece that somebody changed meanwhile, and who. */
export interface Overtaken {
	/** The rule, definition, table or order: `rules.r_1`. */
	part: string;
	/** What it lies in, as people know it. */
	name: string;
	by: string | null;
}

/** @throws {BadInput} when it brings rows although those that stand are edited in force */
async function tableOfDraft(client: PoolClient, workspace: string, table: ReferenceTable) {
	if (!table.living || !table.rows.length) return table;
	const release = await releaseInForce(client, workspace);
	const doc = release ? await readRelease(client, workspace, release) : null;
	if (doc?.tables?.find((t) => t.id === table.id)?.living)
		throw new BadInput(
			`The rows of “${table.label}” are in force and no part of the draft: edit them there.`
		);
	return table;
}

/**
 * Carries out the pieces on the stored draft, all or none.
 * @returns the step that was stored, or what was overtaken; nothing is stored then
 * @throws {BadInput} when what comes out is no sound rule, definition, table or order
 */
export async function editDraft(
	client: PoolClient,
	by: Account,
	pieces: readonly Piece[]
): Promise<Step | { overtaken: Overtaken[] }> {
	const { workspace, id: account } = by;
	await lockDraft(client, workspace);
	if (!pieces.length) {
		const revision = await revisionOf(client, workspace);
		return { revision, was: revision };
	}
	const { set, authors } = await readDraft(client, workspace);
	const { set: next, refused } = applied(set, pieces);
	if (refused.length) {
		const parts = touched(refused);
		const overtaken = parts.map(({ part, id }) => ({
			part: `${part}.${id}`,
			name: partName(set, [part, id]),
			by: authors[`${part}.${id}`] ?? null
		}));
		return { overtaken };
	}
	for (const { part, id } of touched(pieces)) {
		if (part === 'order') {
			const claims = Object.hasOwn(next.order, id) ? next.order[id] : [];
			await putOrder(client, workspace, checkOrder({ field: id, claims }));
			continue;
		}
		// the order of a list is stored with the list
		if (id === '~order') continue;
		if (part === 'rules') {
			const rule = next.rules.find((r) => r.id === id);
			if (rule) await putRule(client, workspace, checkRule(rule), account);
			else await removeRule(client, workspace, id);
			continue;
		}
		const kind = part === 'tables' ? 'table' : 'definition';
		const found = (next[part] as { id: string }[] | undefined)?.find((x) => x.id === id);
		if (!found) await removePart(client, workspace, kind, id);
		else {
			const doc =
				part === 'tables'
					? await tableOfDraft(client, workspace, checkTable(found))
					: checkDefinition(found);
			await putPart(client, workspace, kind, doc, account);
		}
	}
	await placeRules(
		client,
		workspace,
		next.rules.map((r) => r.id)
	);
	const names = touched(pieces)
		.filter((p) => p.id !== '~order')
		.map(({ part, id }) => partName(next.rules.some((r) => r.id === id) ? next : set, [part, id]));
	await note(client, by, 'edited the draft', [...new Set(names)].join(', '), { pieces });
	return counted(client, by);
}
