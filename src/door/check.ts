/** Holding what came in against its schema. */
import * as yup from 'yup';

/** What was wrong with a body, in words that name the place. */
export class BadInput extends Error {}

export function check<T>(schema: yup.Schema, v: unknown): T {
	// to yup, what is not there is in order
	if (v === undefined || v === null) throw new BadInput('What was to be sent is missing.');
	try {
		return schema.validateSync(v, { strict: true, abortEarly: true }) as T;
	} catch (e) {
		if (e instanceof yup.ValidationError) throw new BadInput(`${e.message}.`);
		throw e;
	}
}
