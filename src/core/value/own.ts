/**
 * Names from outside and plain objects. An object that is used as a table has the names of
 * `Object.prototype` too; what is asked for by a name from outside is therefore asked for here.
 */

/** The value an object itself has under a name. */
export function own<T>(
	table: Readonly<Record<string, T>> | undefined,
	name: string
): T | undefined {
	return table && Object.hasOwn(table, name) ? table[name] : undefined;
}

const KEPT: ReadonlySet<string> = new Set(Object.getOwnPropertyNames(Object.prototype));

/** Whether every object has something by this name, so that no identity may be called so. */
export const isKeptName = (name: string) => KEPT.has(name);
