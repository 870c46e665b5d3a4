/** All calls to the server from the pages. What it refuses comes back with its words; a network that is gone as one as well. */

/** What the server refused, or why it could not be asked. */
export class Refused extends Error {
	constructor(
		message: string,
		/** HTTP status; 0 when the server cannot be reached. */
		readonly status: number,
		/** What else the answer says. */
		readonly answer: Record<string, unknown> = {}
	) {
		super(message);
	}

	/** The server, or its database, is away and may be back in a moment: it is worth asking again. */
	get unreachable() {
		return this.status === 0 || (this.status === 503 && typeof this.answer.again === 'number');
	}
}

export interface Call {
	method?: 'GET' | 'POST' | 'PUT' | 'PATCH' | 'DELETE';
	/** Sent as JSON. */
	body?: unknown;
	signal?: AbortSignal;
	/** It is an edit, which arrives although the page is left. */
	lasting?: boolean;
}

/** Most characters of a body that a browser still sends when the page is left. */
const MOST_LASTING = 30_000;

let signInAgain: (() => Promise<boolean>) | null = null;

/**
 * Says what is done when a session has ended: whoever waits for an answer waits for it, and asks
 * again when it was done. @param again lets the person sign in where they are; false when they will not
 */
export function whenSignedOut(again: (() => Promise<boolean>) | null): void {
	signInAgain = again;
}

/**
 * Asks the server and reads its JSON. Where the session has ended, the person signs in in place, and it
 * is asked again: nothing that was to be stored is lost.
 * @throws {Refused} in the words of the server, or that it cannot be reached
 * @throws {DOMException} `AbortError`, when the signal was given
 */
export async function ask<T = unknown>(url: string, call: Call = {}): Promise<T> {
	const { method = 'GET', body, signal, lasting } = call;
	const sent = body === undefined ? undefined : JSON.stringify(body);
	let response: Response;
	try {
		response = await fetch(url, {
			method,
			headers: {
				accept: 'application/json',
				...(body === undefined ? {} : { 'content-type': 'application/json' })
			},
			...(sent === undefined ? {} : { body: sent }),
			...(lasting && sent && sent.length < MOST_LASTING ? { keepalive: true } : {}),
			...(signal ? { signal } : {})
		});
	} catch (e) {
		if (signal?.aborted) throw e;
		throw new Refused('The server cannot be reached.', 0);
	}
	let answer: unknown;
	try {
		answer = await response.json();
	} catch {
		answer = {};
	}
	if (response.ok) return answer as T;
	if (response.status === 401 && signInAgain && (await signInAgain())) return ask<T>(url, call);
	const said = (answer ?? {}) as Record<string, unknown>;
	const words = typeof said.message === 'string' ? said.message : 'The server refused this.';
	throw new Refused(words, response.status, said);
}
