/** Conditions for tests: whatever the table of relations can say about the things of the small workspace. */
import fc from 'fast-check';
import type { ConditionGroup, ConditionRow, Expr, OperandKind } from '../src/core';
import { RELATIONS, conditionTree, constantTree, daysTree, fieldOfSubject } from '../src/core';
import { schema } from './world';

type SubjectKind = (typeof RELATIONS)[number]['between'][number];

export const own = (field: string): Expr => ({
	k: 'field',
	image: 'settled',
	type: 'thing',
	field
});
export const behind = (field: string): Expr => ({
	k: 'through',
	of: own('boss'),
	type: 'thing',
	field
});
const team: Expr = { k: 'related', of: null, type: 'thing', field: 'boss' };
/** Fields of each kind. */
export const FIELDS: Record<Exclude<SubjectKind, 'related'>, string[]> = {
	text: ['t', 'u'],
	number: ['a', 'money'],
	date: ['day'],
	moment: ['at'],
	yesno: ['flag'],
	choice: ['size', 'stage'],
	choices: ['sizes'],
	link: ['boss']
};
const VALUES: Record<string, fc.Arbitrary<unknown>> = {
	text: fc.constantFrom('x', 'Fen & Co', '"quoted"', 'null'),
	number: fc.constantFrom('0', '-3', '10.5', '250'),
	date: fc.constantFrom('2026-11-25', '2024-02-29'),
	yesno: fc.boolean(),
	link: fc.constantFrom('1', '42')
};

/** A row that says something, about a field of a relation's kind. @param only the relation */
export function rows(item: boolean, only?: string): fc.Arbitrary<ConditionRow> {
	return fc
		.constantFrom(...RELATIONS.filter((r) => only === undefined || r.id === only))
		.filter((r) => !item || (!r.event && !r.between.includes('related')))
		.chain((r) =>
			fc
				.constantFrom(...r.between)
				.chain((kind) => {
					const paths =
						kind === 'related'
							? [team]
							: FIELDS[kind].flatMap((f) =>
									item
										? [
												{
													k: 'through',
													of: { k: 'var', name: 'item' },
													type: 'thing',
													field: f
												} as Expr
											]
										: r.event
											? [own(f)]
											: [own(f), behind(f)]
								);
					return fc.constantFrom(...paths);
				})
				.chain((subject) => {
					const field = fieldOfSubject(subject, schema);
					return fc
						.tuple(...r.operands.map((o) => operand(o.kind, field)))
						.map((operands): ConditionRow => ({ k: 'row', subject, relation: r.id, operands }));
				})
		);
}

/** Something that such a field is compared with. */
export function operand(
	kind: OperandKind,
	field: ReturnType<typeof fieldOfSubject>
): fc.Arbitrary<Expr[]> {
	const value = (): fc.Arbitrary<Expr> => {
		if (field?.list)
			return fc
				.constantFrom(...schema.lists.get(field.list)!.options)
				.map((o): Expr => ({ k: 'option', list: field.list!, option: o.id }));
		const type = field?.type === 'money' ? 'number' : (field?.type ?? 'text');
		return VALUES[type].map((v) => constantTree(field!, v as string));
	};
	switch (kind) {
		case 'value':
		case 'option':
			return value().map((v) => [v]);
		case 'values':
			return fc.array(value(), { minLength: 1, maxLength: 3 });
		case 'day':
			return VALUES.date.map((v) => [constantTree({ type: 'date' }, v as string)]);
		case 'text':
			return VALUES.text.map((v) => [{ k: 'text', v: v as string }]);
		case 'count':
			return fc.nat(20).map((n) => [{ k: 'num', v: String(n) }]);
		case 'days':
			return fc.integer({ min: 1, max: 400 }).map((n) => [daysTree(n)]);
		case 'filter':
			return fc.oneof(
				fc.constant<Expr[]>([{ k: 'bool', v: true }]),
				fc.array(rows(true), { minLength: 1, maxLength: 2 }).map((items) => {
					const tree = conditionTree({ k: 'group', how: 'all', items });
					return [tree!];
				})
			);
	}
}

/** Lists of conditions on things: groups of all, any and none, so many deep. */
export const group = (depth: number, least = 1): fc.Arbitrary<ConditionGroup> =>
	fc
		.record({
			how: fc.constantFrom('all' as const, 'any' as const, 'none' as const),
			items: fc.array(
				depth
					? fc.oneof(
							{ weight: 3, arbitrary: rows(false) },
							{ weight: 1, arbitrary: group(depth - 1, least) }
						)
					: rows(false),
				{ minLength: least, maxLength: 4 }
			)
		})
		.map((g): ConditionGroup => ({ k: 'group', ...g }));
