/** Edits of the stored model, as a page sends them. */
import type { Model } from '../src/core';
import { Schema, asType, modelEditBetween, withField } from '../src/core';
import { checkModelPieces } from '../src/door';
import { readModel } from '../src/server/db/model';
import { db, transaction } from '../src/server/db/pool';
import { editModel, type ModelEdited } from '../src/server/draft/model';
import type { Account } from '../src/server/people/accounts';

/** Changes the model of an account's workspace; over JSON and through the door. */
export async function changeModel(
	account: Account,
	change: (m: Model) => Model,
	lost = 0
): Promise<ModelEdited> {
	const { model } = await readModel(db(), account.workspace);
	const { pieces } = modelEditBetween('', model, change(model));
	const sent = checkModelPieces(JSON.parse(JSON.stringify(pieces)));
	return transaction((c) => editModel(c, account, sent, lost));
}

/** The model with a field that is of another type. */
export const retyped =
	(type: string, id: string, to: Parameters<typeof asType>[1]) => (m: Model) => {
		const from = new Schema(m).field(type, id)!;
		const gone = Object.fromEntries(Object.keys(from).map((k) => [k, undefined]));
		return withField(m, type, id, { ...gone, ...asType(from, to) });
	};
