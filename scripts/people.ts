/**
 * People from the command line, for whoever runs the server: npm run people -- COMMAND …
 *   list
 *   add --email E --name N [--role R]    a password is printed once, to be changed at the first sign-in
 *   password --email E                   a new password, and all sessions of theirs end
 */
import { parseArgs } from 'node:util';
import { ROLES, type Role } from '../src/door/rights';
import { closeDb, db } from '../src/server/db/pool';
import { theWorkspace } from '../src/server/db/workspace';
import { listAccounts } from '../src/server/people/accounts';
import { NotThisPerson, addPerson, resetPassword } from '../src/server/people/people';

/** Ends with a message for people. */
class Wrong extends Error {}

async function run() {
	const { positionals, values } = parseArgs({
		allowPositionals: true,
		options: { email: { type: 'string' }, name: { type: 'string' }, role: { type: 'string' } }
	});
	const [command] = positionals;
	const workspace = (await theWorkspace(db()))?.id;
	if (!workspace) throw new Wrong('There is no workspace yet: start the application once.');
	// whoever runs the server is no account of it
	const by = { id: null, workspace, name: 'the command line' };
	const all = await listAccounts(db(), workspace);
	const email = values.email?.trim().toLowerCase();
	if (command === 'list') {
		for (const a of all)
			console.log(
				`${a.service ? 'service' : a.email}\t${a.name}\t${a.role}${a.retired ? '\tretired' : ''}`
			);
		return;
	}
	if (command === 'add') {
		if (!email || !values.name) throw new Wrong('Say --email and --name.');
		const role = (values.role ?? 'author') as Role;
		if (!ROLES.includes(role)) throw new Wrong(`A role is one of ${ROLES.join(', ')}.`);
		const { password } = await addPerson(by, { name: values.name, email, role, person: null });
		console.log(`${email} may sign in with ${password} and changes it then.`);
		return;
	}
	if (command === 'password') {
		const who = all.find((a) => a.email === email);
		if (!who) throw new Wrong(`There is nobody with the address ${email ?? '(say --email)'}.`);
		console.log(
			`${who.email} may sign in with ${await resetPassword(by, who.id)} and changes it then.`
		);
		return;
	}
	throw new Wrong('Commands are list, add and password.');
}

try {
	await run();
} catch (e) {
	const { code, message } = e as { code?: string; message: string };
	if (!(e instanceof Wrong || e instanceof NotThisPerson || code?.startsWith('ERR_PARSE_ARGS')))
		throw e;
	console.error(message);
	process.exitCode = 1;
} finally {
	await closeDb();
}
