import { deserialize } from '$app/forms';
import { Refused } from '../work/http';

/**
 * Calls a form action of this page without its form.
 * @throws {Refused} in the words of the server, or that it cannot be reached
 */
export async function act(action: string, values: Readonly<Record<string, string>>): Promise<void> {
	const body = new FormData();
	for (const [name, value] of Object.entries(values)) body.set(name, value);
	let answer: Response;
	try {
		answer = await fetch(`?/${action}`, {
			method: 'POST',
			headers: { 'x-sveltekit-action': 'true' },
			body
		});
	} catch {
		throw new Refused('The server cannot be reached.', 0);
	}
	const result = deserialize(await answer.text());
	if (result.type === 'success') return;
	const said = result.type === 'failure' ? result.data?.message : undefined;
	throw new Refused(typeof said === 'string' ? said : 'The server refused this.', answer.status);
}
