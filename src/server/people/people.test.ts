/** People who may sign in: added, changed, retired, and their passwords and sessions; by two at once too. */
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { freshDatabase, type Fresh } from '../../../tests/fresh';
import { StoredSince, personShown } from '../../door/shown';
import { db } from '../db/pool';
import {
	accountOfSession,
	accountOfToken,
	createToken,
	listAccounts,
	signIn,
	type Account
} from './accounts';
import {
	NotThisPerson,
	addPerson,
	changePassword,
	changePerson,
	endOwnSessions,
	passwordOnce,
	resetPassword,
	sessionsOf
} from './people';

let t: Fresh;
beforeAll(async () => {
	t = await freshDatabase();
});
afterAll(() => t.drop());

const enter = async (email: string, password: string) => {
	const r = await signIn(email, password, '10.0.0.9', 'Firefox');
	return r.ok ? r.token : null;
};
const who = async (token: string) => (await accountOfSession(db(), token))!;
const byId = async (id: string) =>
	(await listAccounts(db(), t.workspace)).find((a) => a.id === id)!;
let n = 0;
const fresh = (role: Account['role'] = 'author') =>
	addPerson(t.admin, {
		name: `Person ${++n}`,
		email: ` Person${n}@Quillmere.example `,
		role,
		person: null
	});

describe('a person', () => {
	it('is added with a password told once, and changes it before anything else', async () => {
		const { id, password } = await fresh();
		const person = await byId(id);
		expect(person).toMatchObject({ email: 'person1@quillmere.example', mustChange: true });
		const token = (await enter(person.email, password))!;
		expect((await who(token)).mustChange).toBe(true);
		const other = (await enter(person.email, password))!;
		const next = 'heron over the dyke';
		await changePassword(person, token, { old: password, next });
		expect((await who(token)).mustChange).toBe(false);
		// the sessions elsewhere are ended with it
		expect(await accountOfSession(db(), other)).toBeNull();
		expect(await enter(person.email, password)).toBeNull();
		expect(await enter(person.email, next)).not.toBeNull();
	});
	it.each([
		['another than the present one', { old: 'not it', next: 'heron over the dyke' }, 'old'],
		['a short one', { next: 'ninechars' }, 'next'],
		['one made of the address', { next: 'xx-person2-2026' }, 'next'],
		['one that many have', { next: 'Qwertyuiop' }, 'next'],
		['one that many have, with a year behind it', { next: 'Basketball-2026' }, 'next'],
		['one sign over and over', { next: 'aaaaaaaaaaaa' }, 'next']
	])('cannot have %s', async (_, given, input) => {
		n = 1;
		const { id, password } = await addPerson(t.admin, {
			name: 'Person two',
			email: `person2@${Math.random()}.example`,
			role: 'reader',
			person: null
		});
		const person = await byId(id);
		const token = (await enter(person.email, password))!;
		const e = await changePassword(person, token, { old: password, ...given }).catch(
			(x: unknown) => x
		);
		expect(e).toBeInstanceOf(NotThisPerson);
		expect((e as NotThisPerson).input).toBe(input);
	});
	it('has an address that nobody else has', async () => {
		const add = () =>
			addPerson(t.admin, {
				name: 'Twin',
				email: 'IDA@quillmere.example',
				role: 'reader',
				person: null
			});
		await expect(add()).rejects.toThrow('already somebody with the address ida@quillmere.example');
		const [a] = await Promise.all([
			addPerson(t.admin, { name: 'A', email: 'a@a.example', role: 'reader', person: null })
		]);
		await expect(changePerson(t.admin, a.id, { email: t.author.email })).rejects.toThrow('already');
	});
	it('is added once when two add the same at one moment', async () => {
		const add = () =>
			addPerson(t.admin, { name: 'Both', email: 'both@b.example', role: 'reader', person: null });
		const done = await Promise.allSettled([add(), add(), add()]);
		expect(done.filter((d) => d.status === 'fulfilled')).toHaveLength(1);
		for (const d of done)
			if (d.status === 'rejected') expect(d.reason).toBeInstanceOf(NotThisPerson);
	});
	it('whose role somebody changed meanwhile does not get the former one back from a page that was open', async () => {
		const { id } = await fresh('administrator');
		const had = await byId(id);
		const shown = personShown(had);
		await changePerson(t.admin, id, { role: 'reader' });
		const rename = { name: 'Renamed', email: had.email, role: had.role, person: null };
		const refused = await changePerson(t.admin, id, rename, shown).catch((e: unknown) => e);
		expect(refused).toBeInstanceOf(StoredSince);
		expect((refused as StoredSince).now).toMatchObject({ role: 'reader' });
		expect(await byId(id)).toMatchObject({ name: had.name, role: 'reader' });
		// of two who saw the same and store at the same moment one does
		const both = await Promise.allSettled(
			['One', 'Other'].map((name) =>
				changePerson(t.admin, id, { ...rename, name, role: 'reader' }, (refused as StoredSince).now)
			)
		);
		expect(both.map((b) => b.status).sort()).toEqual(['fulfilled', 'rejected']);
	});

	it('who is retired signs in nowhere; open sessions and tokens of theirs open nothing', async () => {
		const { id, password } = await addPerson(t.admin, {
			name: 'Leaver',
			email: 'leaver@quillmere.example',
			role: 'author',
			person: null
		});
		const person = await byId(id);
		const session = (await enter(person.email, password))!;
		const token = await createToken(t.admin, person, {
			name: 'Theirs',
			role: 'author',
			ends: null
		});
		await changePerson(t.admin, id, { retired: true });
		expect(await accountOfSession(db(), session)).toBeNull();
		expect(await accountOfToken(db(), token)).toBeNull();
		expect(await enter(person.email, password)).toBeNull();
		expect((await byId(id)).retired).toMatch(/^20/);
		await changePerson(t.admin, id, { retired: false });
		expect(await enter(person.email, password)).not.toBeNull();
		expect(await accountOfToken(db(), token)).not.toBeNull();
	});
	it('gets a new password from an administrator, which ends all sessions', async () => {
		const { id, password } = await addPerson(t.admin, {
			name: 'Forgetful',
			email: 'forgetful@quillmere.example',
			role: 'reader',
			person: null
		});
		const person = await byId(id);
		const session = (await enter(person.email, password))!;
		const next = await resetPassword(t.admin, id);
		expect(await accountOfSession(db(), session)).toBeNull();
		expect(await enter(person.email, password)).toBeNull();
		expect(await enter(person.email, next)).not.toBeNull();
	});
	it('sees where they are signed in, and ends one session or all others', async () => {
		const p = t.people.find((x) => x.role === 'author')!;
		const tokens = [];
		for (let i = 0; i < 3; i++) tokens.push((await enter(p.email, p.password))!);
		const seen = await sessionsOf(db(), t.author, tokens[0]);
		expect(seen.filter((s) => s.here)).toHaveLength(1);
		expect(seen[0]).toMatchObject({ address: '10.0.0.9', agent: 'Firefox' });
		const one = seen.find((s) => !s.here)!;
		expect(await endOwnSessions(t.author, tokens[0], one.id)).toBe(1);
		// nobody ends those of somebody else
		expect(await endOwnSessions(t.reader, tokens[0], seen.find((s) => s.here)!.id)).toBe(0);
		expect(await endOwnSessions(t.author, tokens[0])).toBe(1);
		expect(await accountOfSession(db(), tokens[0])).not.toBeNull();
	});
});

describe('an administrator', () => {
	it('is always left, when two retire or lower each other at one moment too', async () => {
		await expect(changePerson(t.admin, t.admin.id, { role: 'reader' })).rejects.toThrow(
			'is the last administrator'
		);
		const { id } = await addPerson(t.admin, {
			name: 'Second',
			email: 'second@quillmere.example',
			role: 'administrator',
			person: null
		});
		const done = await Promise.allSettled([
			changePerson(t.admin, id, { role: 'reader' }),
			changePerson(t.admin, t.admin.id, { retired: true })
		]);
		expect(done.filter((d) => d.status === 'fulfilled')).toHaveLength(1);
		const left = (await listAccounts(db(), t.workspace)).filter(
			(a) => a.role === 'administrator' && !a.retired
		);
		expect(left).toHaveLength(1);
		await changePerson(left[0], t.admin.id, { retired: false, role: 'administrator' });
	});
	it('of another workspace changes nobody here', async () => {
		const stranger = { ...t.admin, workspace: 'elsewhere' };
		await expect(changePerson(stranger, t.author.id, { name: 'X' })).rejects.toThrow(
			'no such person'
		);
		await expect(resetPassword(stranger, t.author.id)).rejects.toThrow('no such person');
	});
});

describe('a password that is told once', () => {
	it('is another each time, and long enough to be guessed by nobody', () => {
		const all = new Set(Array.from({ length: 500 }, passwordOnce));
		expect(all.size).toBe(500);
		for (const p of all) expect(p).toMatch(/^([a-km-z2-9]{4}-){3}[a-km-z2-9]{4}$/);
	});
});
