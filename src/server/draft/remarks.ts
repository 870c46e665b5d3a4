/** Remarks at rules, findings and trials: said by somebody, noted as settled by anybody who writes. */
import { BadInput } from '../../door';
import { note } from '../audit/audit';
import { announce } from '../db/notices';
import type { Account } from '../db/people';
import { db, transaction } from '../db/pool';
import { addRemark, countOpenRemarks, settleRemark, type RemarkedAt } from '../db/remarks';

/** Open remarks of a workspace: those who hold so many do not read them. */
const MOST = 200;

/** Says something of a rule, a finding or a trial. @throws {BadInput} when too many are open */
export async function remark(
	account: Account,
	said: RemarkedAt & { title: string; text: string }
): Promise<{ id: string }> {
	const { workspace } = account;
	if ((await countOpenRemarks(db(), workspace)) >= MOST)
		throw new BadInput(`There are ${MOST} open remarks. Settle some before there are more.`);
	return transaction(async (c) => {
		const id = await addRemark(c, workspace, account.id, said);
		await note(c, account, 'remarked', said.title, { kind: said.kind, key: said.key });
		await announce(c, { kind: 'beside', workspace });
		return { id };
	});
}

/** Notes that a remark is settled, or is open after all. @throws {BadInput} when there is no such remark */
export async function settle(account: Account, id: string, settled: boolean): Promise<void> {
	const { workspace } = account;
	await transaction(async (c) => {
		const title = await settleRemark(c, workspace, id, settled ? account.id : null);
		if (title === null) throw new BadInput('There is no such remark.');
		await note(c, account, settled ? 'settled a remark' : 'opened a remark again', title);
		await announce(c, { kind: 'beside', workspace });
	});
}
