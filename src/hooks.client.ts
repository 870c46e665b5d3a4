/**
 * What a page asks the server for when one goes to it. While the server cannot be reached, the answer says
 * so for that page alone: the frame around it stays, with all that was edited, instead of giving way to
 * an error of the whole application. A page that is there already and is only asked for once more stays too.
 */
import { page } from '$app/state';
import { MISSED } from '$lib/shell/missed';
import type { ClientInit } from '@sveltejs/kit';

const AWAY = 'The server cannot be reached just now.';
/** Seconds. */
const AGAIN = 2;

/** Which of the nested parts of a page are asked for, a digit each. */
const ASKED = 'x-sveltekit-invalidated';

/** Whether the page that is shown is asked for once more, and not another. */
function asksForShown(asked: URL): boolean {
	const path = asked.pathname.slice(0, -'/__data.json'.length) || '/';
	const search = new URLSearchParams(asked.search);
	for (const name of [...search.keys()]) if (name.startsWith('x-sveltekit-')) search.delete(name);
	return path === page.url.pathname && search.toString() === page.url.searchParams.toString();
}

async function troubleOf(response: Response | null): Promise<{ message: string; again: number }> {
	const said = (await response?.json().catch(() => null)) as {
		message?: unknown;
		again?: unknown;
	} | null;
	return {
		message: typeof said?.message === 'string' ? said.message : AWAY,
		again: typeof said?.again === 'number' ? said.again : AGAIN
	};
}

export const init: ClientInit = () => {
	const ask = window.fetch;
	window.fetch = async (what, how) => {
		const url = new URL(what instanceof Request ? what.url : what, location.href);
		if (!url.pathname.endsWith('/__data.json')) return ask(what, how);
		let response: Response | null = null;
		try {
			response = await ask(what, how);
		} catch (e) {
			if ((e as Error).name === 'AbortError') throw e;
		}
		if (response && response.status !== 503) return response;
		const error = await troubleOf(response);
		const frame = document.querySelector('[data-frame]') !== null;
		const stays = frame && !page.error && asksForShown(url);
		const digits = [...(url.searchParams.get(ASKED) ?? '1')];
		// the page is the last of its parts; what is around it was loaded before
		const nodes = digits.map((digit, at) =>
			digit !== '1' || stays || (frame && at < digits.length - 1)
				? { type: 'skip' }
				: { type: 'error', error, status: 503 }
		);
		if (stays) dispatchEvent(new Event(MISSED));
		return new Response(`${JSON.stringify({ type: 'data', nodes })}\n`, {
			headers: { 'content-type': 'text/sveltekit-data' }
		});
	};
};
