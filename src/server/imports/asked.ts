/** What a job of an import was asked: its file, how it is read, and for whom; as far as that still can be. */
import { may } from '../../door/rights';
import { BadInput } from '../../door';
import { readImport, type Import } from '../db/imports';
import type { Job } from '../db/jobs';
import { db } from '../db/pool';
import { listAccounts } from '../people/accounts';
import { inForce, type InForce, type Sender } from '../records';
import { checkSettings, type Settings } from './rows';

export interface Asked {
	file: Import;
	settings: Settings;
	force: InForce;
	sender: Sender;
}

/**
 * Reads it anew for each piece: the model may change while a job runs, and so may whom it acts for.
 * @throws {BadInput} saying what is no longer there
 */
export async function askedOf({ id, workspace, input, account, by }: Job): Promise<Asked> {
	const file = (await readImport(db(), input.import))!;
	const settings = file.settings as Settings;
	const force = await inForce(db(), workspace);
	const who = (await listAccounts(db(), workspace)).find((a) => a.id === account);
	if (!who || who.retired || !may(who.role, 'import'))
		throw new BadInput(`${by ?? 'Whoever began it'} may no longer import.`);
	if (!force.schema.types.has(file.type))
		throw new BadInput(`The record type “${file.type}” is no longer there.`);
	checkSettings(force.schema, file.type, file.head, settings);
	const instant = Date.now();
	const sender: Sender = { workspace, account: who, entryPoint: 'import', instant, job: id };
	return { file, settings, force, sender };
}
