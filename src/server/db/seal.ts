/**
 * Secrets that are needed again to sign with, sealed for whoever reads the database or a copy of it: AES-256-GCM
 * (NIST SP 800-38D) by a key that the environment holds. Without a key they are kept as they are.
 */
import { createCipheriv, createDecipheriv, randomBytes } from 'node:crypto';
import type { Db } from './pool';

const CIPHER = 'aes-256-gcm';
const BYTES = { key: 32, nonce: 12, tag: 16 };
/** Before what is sealed; no secret begins so. */
const SEALED = 'sealed:';

/** `RIGID_SECRET_KEY` is not what it has to be. */
export class BadSealingKey extends Error {}

/** The keys of `RIGID_SECRET_KEY`, a comma between them: the first seals, each opens. @throws {BadSealingKey} */
export function sealingKeys(): Buffer[] {
	const given = (process.env.RIGID_SECRET_KEY ?? '').split(',').map((k) => k.trim());
	return given.filter(Boolean).map((text) => {
		const key = Buffer.from(text, 'base64');
		if (key.length !== BYTES.key)
			throw new BadSealingKey(
				'RIGID_SECRET_KEY is 32 bytes in base64, as “openssl rand -base64 32” makes them; of several with a comma between, the first seals.'
			);
		return key;
	});
}

/** A secret as it is stored. */
export function sealed(secret: string): string {
	const [key] = sealingKeys();
	if (!key) return secret;
	const nonce = randomBytes(BYTES.nonce);
	const cipher = createCipheriv(CIPHER, key, nonce, { authTagLength: BYTES.tag });
	const text = Buffer.concat([cipher.update(secret, 'utf8'), cipher.final()]);
	return SEALED + Buffer.concat([nonce, cipher.getAuthTag(), text]).toString('base64');
}

function openedBy(key: Buffer, kept: Buffer): string | null {
	const { nonce, tag } = BYTES;
	const decipher = createDecipheriv(CIPHER, key, kept.subarray(0, nonce), { authTagLength: tag });
	try {
		decipher.setAuthTag(kept.subarray(nonce, nonce + tag));
		return Buffer.concat([decipher.update(kept.subarray(nonce + tag)), decipher.final()]).toString(
			'utf8'
		);
	} catch {
		// another key, or not what was sealed
		return null;
	}
}

/** A secret as it was; null where none of the keys opens it. */
export function opened(stored: string): string | null {
	if (!stored.startsWith(SEALED)) return stored;
	const kept = Buffer.from(stored.slice(SEALED.length), 'base64');
	if (kept.length < BYTES.nonce + BYTES.tag) return null;
	for (const key of sealingKeys()) {
		const secret = openedBy(key, kept);
		if (secret !== null) return secret;
	}
	return null;
}

/** Whether a stored secret is not as the first key would seal it, and can be made so. */
function stale(stored: string, first: Buffer | undefined): boolean {
	if (!first || opened(stored) === null) return false;
	if (!stored.startsWith(SEALED)) return true;
	return openedBy(first, Buffer.from(stored.slice(SEALED.length), 'base64')) === null;
}

/**
 * Seals the secrets of all webhooks by the first key: those from before there was one, or that another sealed.
 * @returns how many webhooks that was, and how many have a secret that no key opens
 * @throws {BadSealingKey} also where there is nothing to seal: whoever starts a server hears of it, not whoever makes a webhook
 */
export async function sealAll(client: Db): Promise<{ sealed: number; shut: number }> {
	const [first] = sealingKeys();
	const r = await client.query<{ id: string; secret: string; former: string | null }>(
		'select id::text, secret, former_secret as former from hook order by id for update'
	);
	const told = { sealed: 0, shut: 0 };
	for (const { id, secret, former } of r.rows) {
		if (opened(secret) === null) told.shut++;
		const [now, then] = [secret, former].map((x) =>
			x && stale(x, first) ? sealed(opened(x)!) : x
		);
		if (now === secret && then === former) continue;
		told.sealed++;
		await client.query('update hook set secret = $2, former_secret = $3 where id = $1', [
			id,
			now,
			then
		]);
	}
	return told;
}
