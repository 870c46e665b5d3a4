/**
 * A request to a system outside. Addresses are typed by people, and names lead wherever their owner points them, so
 * what is inside of the house is not reached unless whoever runs the server says so.
 */
import { lookup, type LookupAddress } from 'node:dns';
import http from 'node:http';
import https from 'node:https';
import { BlockList, isIP } from 'node:net';

/** How long an attempt may take from its beginning to its answer, milliseconds. */
const LIMIT = 10_000;
/** Bytes of an answer that are read, for people. */
const READ = 2_000;

/** Addresses that are not in the world at large (the registries of special-purpose addresses of IANA, RFC 6890; groups, RFC 5771 and 4291). */
const INSIDE = new BlockList();
for (const [net, bits] of [
	['0.0.0.0', 8],
	['10.0.0.0', 8],
	['100.64.0.0', 10],
	['127.0.0.0', 8],
	['169.254.0.0', 16],
	['172.16.0.0', 12],
	['192.0.0.0', 24],
	['192.0.2.0', 24],
	['192.88.99.0', 24],
	['192.168.0.0', 16],
	['198.18.0.0', 15],
	['198.51.100.0', 24],
	['203.0.113.0', 24],
	['224.0.0.0', 4],
	['240.0.0.0', 4]
] as const)
	INSIDE.addSubnet(net, bits, 'ipv4');
for (const [net, bits] of [
	['::', 127],
	['64:ff9b::', 96],
	['64:ff9b:1::', 48],
	['100::', 64],
	['2001::', 23],
	['2001:db8::', 32],
	['2002::', 16],
	['fc00::', 7],
	['fe80::', 10],
	['ff00::', 8]
] as const)
	INSIDE.addSubnet(net, bits, 'ipv6');

/** Whether an address is one that only this house has. */
export const isInside = (address: string): boolean =>
	INSIDE.check(address, isIP(address) === 6 ? 'ipv6' : 'ipv4');

/** Names of hosts inside of the house that may be reached: `RIGID_HOOKS_INSIDE`, a comma between them. */
const allowed = (): ReadonlySet<string> =>
	new Set(
		(process.env.RIGID_HOOKS_INSIDE ?? '')
			.split(',')
			.map((h) => h.trim().toLowerCase())
			.filter(Boolean)
	);

/** The host of an address as it is looked up: of IPv6 without brackets. */
const hostOf = (url: URL) => url.hostname.replace(/^\[(.*)\]$/, '$1').toLowerCase();

/** Why no request goes to an address; null where one may. A name is looked at once more when it is reached. */
export function notToReach(url: URL): string | null {
	const host = hostOf(url);
	if (allowed().has(host)) return null;
	if (isIP(host) ? isInside(host) : host === 'localhost' || host.endsWith('.localhost'))
		return `${host} is inside of this house. Whoever runs the server lets it be reached with RIGID_HOOKS_INSIDE.`;
	return null;
}

/** What was answered. */
export interface Called {
	status: number;
	/** Milliseconds that the other side asks to wait. */
	wait: number;
	/** Of its text the beginning. */
	text: string;
}

/** Nothing was answered, in words for people. */
export class NoAnswer extends Error {}

/** Milliseconds that `Retry-After` asks for (RFC 9110, 10.2.3): seconds or a date. */
export function retryAfter(header: string | undefined, now: number): number {
	if (!header) return 0;
	if (/^\d{1,9}$/.test(header.trim())) return Number(header) * 1000;
	const at = /^[A-Z][a-z]{2}, \d{2} [A-Z][a-z]{2} \d{4} \d{2}:\d{2}:\d{2} GMT$/.test(header.trim())
		? Date.parse(header)
		: NaN;
	return Number.isNaN(at) ? 0 : Math.max(0, at - now);
}

const WHY: Readonly<Record<string, string>> = {
	ECONNREFUSED: 'Nobody listens at that address.',
	ECONNRESET: 'The connection was broken off.',
	ENOTFOUND: 'There is no host of that name.',
	EAI_AGAIN: 'The name could not be looked up.',
	EHOSTUNREACH: 'The host cannot be reached.',
	ENETUNREACH: 'The network cannot be reached.',
	ETIMEDOUT: 'The host did not answer.'
};
const sayError = (e: NodeJS.ErrnoException): string =>
	WHY[e.code ?? ''] ??
	(/cert|ssl|tls/i.test(e.code ?? '') ? `Its certificate is not trusted (${e.code}).` : e.message);

/**
 * Sends a text with POST and reads what is answered. No redirect is followed.
 * @param inside it may be inside of the house: what ships with the application is
 * @throws {NoAnswer}
 */
export function call(
	url: URL,
	headers: Record<string, string>,
	body: string,
	{ inside = false, limit = LIMIT } = {}
): Promise<Called> {
	const host = hostOf(url);
	const anywhere = inside || allowed().has(host);
	const refused = anywhere ? null : notToReach(url);
	if (refused) return Promise.reject(new NoAnswer(refused));
	return new Promise((done, fail) => {
		const no = (message: string) => fail(new NoAnswer(message));
		const request = (url.protocol === 'https:' ? https : http).request(
			url,
			{
				method: 'POST',
				agent: false,
				headers: {
					'user-agent': 'rigid-rule',
					'content-length': Buffer.byteLength(body),
					...headers
				},
				signal: AbortSignal.timeout(limit),
				// what a name leads to is looked at where it is used, so it cannot lead elsewhere a moment later
				lookup: (name, options, found) =>
					lookup(name, { ...options, all: true }, (e, addresses: LookupAddress[]) => {
						if (e) return found(e, []);
						const inner = anywhere ? undefined : addresses.find((a) => isInside(a.address));
						if (inner)
							return found(
								new NoAnswer(`${name} leads to ${inner.address}, which is inside of this house.`),
								[]
							);
						// whoever asked for one gets one
						if ((options as { all?: boolean }).all) return found(null, addresses);
						(found as (e: null, address: string, family: number) => void)(
							null,
							addresses[0].address,
							addresses[0].family
						);
					})
			},
			(response) => {
				const parts: Buffer[] = [];
				let read = 0;
				const answer = () =>
					done({
						status: response.statusCode ?? 0,
						wait: retryAfter(response.headers['retry-after'], Date.now()),
						text: Buffer.concat(parts).subarray(0, READ).toString('utf8')
					});
				response.on('data', (part: Buffer) => {
					parts.push(part);
					read += part.length;
					// nobody reads more of it, however long it goes on
					if (read >= READ) {
						answer();
						response.destroy();
					}
				});
				response.on('end', answer);
				response.on('error', (e) => no(sayError(e)));
			}
		);
		request.on('error', (e: NodeJS.ErrnoException) =>
			no(
				e instanceof NoAnswer
					? e.message
					: e.name === 'AbortError' || e.name === 'TimeoutError'
						? `No answer within ${limit / 1000} seconds.`
						: sayError(e)
			)
		);
		request.end(body);
	});
}
