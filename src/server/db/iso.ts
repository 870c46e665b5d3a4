/** A column of instants as ISO 8601 in UTC, to the second: what lists show. */
export const iso = (column: string) =>
	`to_char(${column} at time zone 'UTC', 'YYYY-MM-DD"T"HH24:MI:SS"Z"')`;

/** The same to the millisecond: what history tells is held against the moment at which something else was. */
export const isoExact = (column: string) =>
	`to_char(${column} at time zone 'UTC', 'YYYY-MM-DD"T"HH24:MI:SS.MS"Z"')`;
