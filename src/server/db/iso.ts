/** A column of instants as ISO 8601 in UTC, to the second: what lists show. */
export const iso = (column: string) =>
	`to_char(${column} at time zone 'UTC', 'YYYY-MM-DD"T"HH24:MI:SS"Z"')`;
