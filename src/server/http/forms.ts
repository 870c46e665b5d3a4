/** Form actions: read by the door, refused with the input that is wrong. */
import { fail, type ActionFailure, type RequestEvent } from '@sveltejs/kit';
import { readForm, type FormFaults, type FormName, type FormValues } from '../../door/forms';
import { StoredSince, type Shown } from '../../door/shown';

/** Says which input of a form cannot be taken, and what would be right. */
export class RefusedInput extends Error {
	constructor(
		readonly input: string,
		message: string
	) {
		super(message);
	}
}
/** Refuses a form for what stands in one of its inputs. */
export function refuse(input: string, message: string): never {
	throw new RefusedInput(input, message);
}

type Failure = ActionFailure<{
	faults: FormFaults;
	message: string;
	/** What stands now, where that is why. */
	now?: Shown;
}>;
const failed = (status: number, faults: FormFaults, now?: Shown) =>
	fail(status, { faults, message: Object.values(faults).join(' '), ...(now ? { now } : {}) });

/**
 * An action that gets what its form holds once it has passed the door.
 * @returns what the work gives, or `{ done: 'Stored.' }`
 */
export const formAction =
	<E extends RequestEvent, N extends FormName, R extends Record<string, unknown>>(
		form: N,
		work: (values: FormValues<N>, event: E) => Promise<R | void>
	) =>
	async (event: E): Promise<R | { done: string } | Failure> => {
		const read = readForm(form, await event.request.formData());
		if (!read.ok) return failed(400, read.faults);
		try {
			return (await work(read.values, event)) ?? { done: 'Stored.' };
		} catch (e) {
			if (e instanceof RefusedInput) return failed(400, { [e.input]: e.message });
			if (e instanceof StoredSince) return failed(409, { '': e.message }, e.now);
			throw e;
		}
	};
