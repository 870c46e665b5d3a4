/** Puts the address of something on the clipboard, to be sent to somebody. */
import { tell } from '../shell/notices';

/** @param to from the root of this site; the page that is open without it */
export async function copyLink(to = location.pathname + location.search + location.hash) {
	const address = new URL(to, location.origin).href;
	try {
		await navigator.clipboard.writeText(address);
		tell('The link is copied.');
	} catch {
		// without TLS, or where it is not allowed, there is no clipboard: the address is there to be marked
		tell(`The clipboard is closed here. The link: ${address}`);
	}
}
