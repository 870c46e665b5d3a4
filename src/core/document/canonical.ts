/** JSON with one spelling only, so that equal documents have equal hashes. */

/** Writes JSON with sorted keys and no white space; undefined entries are left out, as JSON does. */
export function canonicalJson(v: unknown): string {
	if (v === undefined || v === null || typeof v !== 'object') return JSON.stringify(v) ?? 'null';
	if (Array.isArray(v)) return `[${v.map(canonicalJson).join(',')}]`;
	const entries = Object.entries(v)
		.filter(([, x]) => x !== undefined)
		.sort(([a], [b]) => (a < b ? -1 : a > b ? 1 : 0));
	return `{${entries.map(([k, x]) => `${JSON.stringify(k)}:${canonicalJson(x)}`).join(',')}}`;
}
