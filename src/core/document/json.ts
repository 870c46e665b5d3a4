/** A field value in JSON: decimals as text, dates as ISO 8601, options and links by identity. */
export type JsonValue = null | boolean | string | string[];
