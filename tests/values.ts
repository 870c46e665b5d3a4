/** Values that a field may have, for properties over records. */
import fc from 'fast-check';
import type { Field, JsonValue, Schema } from '../src/core';

/** Some value of a field as JSON, now and then blank. @param links numbers of records that links may point to */
export function someValue(
	schema: Schema,
	f: Field,
	links: readonly string[] = []
): fc.Arbitrary<JsonValue> {
	const options = f.list ? schema.lists.get(f.list)!.options.map((o) => o.id) : [];
	const value = (): fc.Arbitrary<JsonValue> => {
		switch (f.type) {
			case 'number':
			case 'money':
			case 'percent':
				return fc.integer({ min: -5, max: 300 }).map(String);
			case 'yesno':
				return fc.boolean();
			case 'choice':
				return fc.constantFrom(...options);
			case 'choices':
				return fc.subarray(options, { minLength: 1 });
			case 'date':
				return fc.constantFrom('2026-01-31', '2026-12-01', '2027-05-05');
			case 'text':
				return fc.constantFrom('A', 'lost  twice', 'x@quillmere.example', '1012 AB');
			case 'link':
				return links.length ? fc.constantFrom(...links) : fc.constant(null);
			default:
				return fc.constant(null);
		}
	};
	return fc.oneof({ weight: 1, arbitrary: fc.constant(null) }, { weight: 4, arbitrary: value() });
}

/** Some values of a record type, by field; some fields left out. */
export const someValues = (
	schema: Schema,
	type: string,
	links: readonly string[] = []
): fc.Arbitrary<Record<string, JsonValue>> =>
	fc.record(
		Object.fromEntries(
			schema.type(type).type.fields.map((f) => [f.id, someValue(schema, f, links)])
		),
		{ requiredKeys: [] }
	) as fc.Arbitrary<Record<string, JsonValue>>;
