/** What the API takes. */
import { BadInput, readJson } from './door';

/** Reads `{"values": {…}, "keep": […], "version": 1}`. @throws {BadInput} naming the place */
export async function readApiBody(
	request: Request
): Promise<{ sent: [string, unknown][]; keep: string[]; version?: number }> {
	const body = await readJson(request);
	if (typeof body !== 'object' || body === null || Array.isArray(body))
		throw new BadInput('The body must be an object with “values”.');
	const { values, keep = [], version, ...rest } = body as Record<string, unknown>;
	const odd = Object.keys(rest)[0];
	if (odd) throw new BadInput(`“${odd}” is not known here; there are values, keep and version.`);
	if (typeof values !== 'object' || values === null || Array.isArray(values))
		throw new BadInput('values must be an object: field to value.');
	if (!Array.isArray(keep) || !keep.every((k) => typeof k === 'string'))
		throw new BadInput('keep must be a list of fields.');
	if (version !== undefined && !Number.isInteger(version))
		throw new BadInput('version must be a whole number.');
	return {
		sent: Object.entries(values),
		keep,
		...(version === undefined ? {} : { version: version as number })
	};
}
