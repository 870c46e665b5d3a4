import { db, transaction } from '$server/db/pool';
import { removeRule, saveRule } from '$server/db/rules';
import { BadInput, checkRule, checkVersion, readJson } from '$server/door';
import { allow, answer } from '$server/guard';
import { json } from '@sveltejs/kit';
import type { RequestHandler } from './$types';

const elsewhere = () =>
	json(
		{ message: 'Somebody else changed this rule meanwhile. Load it again to see theirs.' },
		{ status: 409 }
	);

/** Stores a rule of the draft, when nobody stored another version meanwhile. */
export const PUT: RequestHandler = async (event) => {
	const account = allow(event, 'author');
	let saved: number | null = null;
	const response = await answer(async () => {
		const body = (await readJson(event.request)) as { rule?: unknown; version?: unknown };
		const rule = checkRule(body?.rule);
		if (rule.id !== event.params.id)
			throw new BadInput('The identity in the address and in the rule differ.');
		saved = await transaction((c) =>
			saveRule(c, account.workspace, rule, checkVersion(body.version), account.id)
		);
		return { version: saved };
	});
	return response.ok && saved === null ? elsewhere() : response;
};

export const DELETE: RequestHandler = async (event) => {
	const account = allow(event, 'author');
	const gone = await removeRule(
		db(),
		account.workspace,
		event.params.id,
		Number(event.url.searchParams.get('version'))
	);
	return gone ? json({}) : elsewhere();
};
