/** Conditions as a list: a view of the tree that looking never changes and editing never loses. */
import { readFileSync } from 'node:fs';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { FIELDS, behind, group, operand, own } from '../../../tests/conditions';
import { outcome, planOf, rule, run, schema } from '../../../tests/world';
import { Schema } from '../document/model';
import type { Expr } from '../document/tree';
import { bare } from '../document/tree';
import { compileExpression } from '../feel/compile';
import { parseExpression } from '../feel/parse';
import { printExpression } from '../feel/print';
import { BOOLEAN } from '../feel/types';
import { constantOf, constantTree } from './constants';
import type { ConditionGroup, ConditionItem, ConditionRow } from './list';
import {
	HOLE,
	conditionLeaves,
	conditionList,
	conditionTree,
	kindOfSubject,
	openRow,
	rowTree,
	withAdded,
	withHow,
	withItem,
	withOperand,
	withRelation,
	withSubject,
	withoutItem
} from './list';
import type { SubjectKind } from './relations';
import { RELATIONS, relationsFor } from './relations';
import { sayCondition } from './words';

const read = (text: string): Expr =>
	bare(
		compileExpression(parseExpression(text, { schema, type: 'thing' }), { schema, type: 'thing' })
			.expr
	);
const say = (_: unknown, v: unknown) => (Array.isArray(v) ? v.join(', ') : String(v));

/** Without the trees they were read from. */
const said = (i: ConditionItem): unknown =>
	i.k === 'group'
		? { how: i.how, items: i.items.map(said) }
		: i.k === 'row'
			? bare({ subject: i.subject, relation: i.relation, operands: i.operands })
			: bare({ formula: i.of });

/** A list of which the top holds one group alone is that group. */
const asShown = (g: ConditionGroup): ConditionGroup =>
	g.how === 'all' && g.items.length === 1 && g.items[0].k === 'group' ? g.items[0] : g;

describe('a list and its tree', () => {
	it('are the same: list to tree to list', () => {
		fc.assert(
			fc.property(group(2), (g) => {
				const tree = conditionTree(g)!;
				expect(said(conditionList(tree, schema))).toEqual(said(asShown(g)));
			}),
			{ numRuns: 800 }
		);
	});

	it('every list compiles, and its text is read back as the same tree', () => {
		fc.assert(
			fc.property(group(2, 2), (g) => {
				const tree = conditionTree(g)!;
				const scope = { schema, type: 'thing', expected: BOOLEAN };
				expect(compileExpression(tree, scope).faults).toEqual([]);
				const { text } = printExpression(tree, schema);
				const again = compileExpression(parseExpression(text, scope), scope);
				expect(again.faults, text).toEqual([]);
				expect(bare(again.expr)).toEqual(bare(compileExpression(tree, scope).expr));
			}),
			{ numRuns: 500 }
		);
	});

	it('looking rewrites nothing', () => {
		for (const text of [
			'Stage = "Lost"',
			'"Lost" = Stage',
			'not(Stage = "Lost") and A between 1 and 5',
			'not(Flag)',
			'Stage = "Won" or (Stage = "Lost" and not(A > 3 and B < 4))',
			'if Flag then A > 1 else B > 1',
			'count(Team[A > 1]) >= 1 and sum(Team.A) > 5',
			'Flag',
			'A in (1, 2, < 0)',
			'Size class in ["Micro", "Small"]'
		]) {
			const tree = read(text);
			expect(conditionTree(conditionList(tree, schema)), text).toEqual(tree);
		}
	});

	it('an edit of one row leaves the others as they were written', () => {
		const list = conditionList(read('"Lost" = Stage and A between 1 and 5 and A + B > 3'), schema);
		const row = list.items[1] as ConditionRow;
		const edited = withItem(list, [1], withOperand(row, 1, [{ k: 'num', v: '9' }]));
		expect(printExpression(conditionTree(edited)!, schema).text).toBe(
			'"Lost" = Stage and A in [1..9] and A + B > 3'
		);
	});

	it('variants are known: a value first, a negation, a range written out', () => {
		const relation = (text: string) =>
			conditionLeaves(conditionList(read(text), schema)).map((l) =>
				l.k === 'row' ? l.relation : 'formula'
			);
		expect(relation('Stage = null')).toEqual(['is blank']);
		expect(relation('Stage != null')).toEqual(['is given']);
		expect(relation('5 <= A')).toEqual(['is at least']);
		expect(relation('A between 1 and 5')).toEqual(['is between']);
		expect(relation('A >= 1 and A <= 5')).toEqual(['is at least', 'is at most']);
		expect(relation('A > was.A')).toEqual(['rose']);
		expect(relation('was.Stage = "Won"')).toEqual(['was']);
		expect(relation('not(Flag)')).toEqual(['is no']);
		expect(relation('moved(Stage, anything, "Won")')).toEqual(['changed to']);
		expect(relation('Boss.Size class = "Large"')).toEqual(['is']);
		expect(relation('count(Team[Stage = "Won"]) > 0')).toEqual(['some']);
		expect(relation('Day in [today - duration("P7D")..today]')).toEqual(['is in the last days']);
		expect(relation('A + 1 > 5')).toEqual(['formula']);
		// the same field on both sides is no row about a change
		expect(relation('A > was.B')).toEqual(['is more than']);
	});

	it('what is asked of one record behind a link is a row, of several it is not', () => {
		expect(kindOfSubject(read('Boss.Boss.A'), schema)).toBe('number');
		expect(kindOfSubject(read('Team.A'), schema)).toBe(null);
		expect(kindOfSubject(read('was.A'), schema)).toBe(null);
	});
});

describe('a row that is built', () => {
	it('begins with nothing said, and its tree says where', () => {
		const tree = conditionTree({ k: 'group', how: 'all', items: [openRow()] })!;
		expect(printExpression(tree, schema).text).toBe('… = …');
		const { faults } = compileExpression(tree, { schema, type: 'thing', expected: BOOLEAN });
		expect(faults[0].message).toBe('Something is still to be said here.');
		expect(said(conditionList(tree, schema))).toEqual({
			how: 'all',
			items: [{ subject: HOLE, relation: 'is', operands: [[HOLE]] }]
		});
		// and its text is read back
		expect(bare(parseExpression('… = …', { schema, type: 'thing' }))).toEqual(bare(tree));
	});

	it('keeps what still fits when its subject or relation changes', () => {
		let row = withSubject(openRow(), own('stage'), schema);
		expect(row.relation).toBe('is');
		row = withOperand(row, 0, [{ k: 'option', list: 'stage', option: 'won' }]);
		row = withRelation(row, 'is one of');
		expect(row.operands).toEqual([[{ k: 'option', list: 'stage', option: 'won' }]]);
		expect(withSubject(row, own('was_stage'), schema).operands).toEqual(row.operands);
		expect(withSubject(row, own('size'), schema).operands).toEqual([[HOLE]]);
		expect(withSubject(row, own('a'), schema).relation).toBe('is at least');
		// what only the record itself can be asked falls back where a link leads away
		expect(withSubject(withRelation(row, 'changed'), behind('stage'), schema).relation).toBe('is');
	});

	it('stands in groups that can be turned, added to and emptied', () => {
		const a = withSubject(openRow(), own('flag'), schema);
		let g: ConditionGroup = { k: 'group', how: 'all', items: [a] };
		g = withAdded(g, [], { k: 'group', how: 'any', items: [a, a] });
		g = withHow(g, [1], 'none');
		expect(printExpression(conditionTree(g)!, schema).text).toBe('Flag and not(Flag or Flag)');
		g = withoutItem(withoutItem(g, [1, 0]), [1, 0]);
		expect(g.items).toHaveLength(1);
		expect(conditionTree(withoutItem(g, [0]))).toBe(null);
	});
});

describe('what a relation gives for a blank is what its table says', () => {
	it.each(
		RELATIONS.filter((r) => !r.event && !r.between.includes('related')).map((r) => [r.id, r])
	)('%s', (_, r) => {
		// a link is compared with a record that is there, and none is here
		for (const kind of r.between.filter((k) => k !== 'link' || !r.operands.length)) {
			const field = FIELDS[kind as 'text'][0];
			const of = schema.field('thing', field)!;
			const [row] = fc.sample(
				fc.tuple(...r.operands.map((o) => operand(o.kind, of))).map((operands): ConditionRow => ({
					k: 'row',
					subject: own(field),
					relation: r.id,
					operands
				})),
				1
			);
			const guard = { expr: rowTree(row) };
			const rec = run(planOf(rule('b', '1', { guard })), { c: '2' }, { onRequest: true });
			const [did] = outcome(rec, 'b');
			const is =
				did === 'guard false'
					? 'does not hold'
					: did === 'guard unknown'
						? 'cannot be told'
						: 'holds';
			expect(is, `${r.id} of ${field}`).toBe(r.blank);
		}
	});
});

describe('in words', () => {
	it.each([
		['Stage = "Lost"', 'Stage is lost'],
		['Stage in ("Won", "Lost") and A >= 10', 'Stage is one of won or lost and A is at least 10'],
		['moved(Stage, "Offer", "Won")', 'Stage changed from offer to won'],
		['Boss.Size class = "Large" or Flag', 'Boss › Size class is large or Flag is yes'],
		['count(Team[Stage = "Won"]) >= 2', 'at least 2 Team where Stage is won'],
		['count(Team) > 0', 'one or more Team'],
		['not(A > 1 or Flag)', 'none of these: A is more than 1; Flag is yes'],
		['Day in [today - duration("P7D")..today]', 'Day is in the last 7 days'],
		['A = B', 'A is B'],
		['A + 1 > 2', 'A + 1 > 2']
	])('%s', (text, words) => {
		expect(sayCondition(read(text), schema, say)).toBe(words);
	});
});

it('constants are read back as they were written', () => {
	const of = (id: string) => schema.field('thing', id)!;
	for (const [id, v] of [
		['a', '-3.5'],
		['t', 'x'],
		['flag', false],
		['day', '2026-11-25'],
		['at', '2026-11-25T09:00:00Z'],
		['size', 'micro'],
		['sizes', ['micro', 'large']],
		['boss', '7']
	] as const)
		expect(constantOf(constantTree(of(id), v as string), of(id))).toEqual(v);
	expect(constantOf(read('A + 1'), of('a'))).toBe(undefined);
	expect(constantOf({ k: 'text', v: 'x' }, of('a'))).toBe(undefined);
});

it('every kind of field has relations, and those about the change only where the record is at hand', () => {
	const events = RELATIONS.filter((r) => r.event).map((r) => r.id);
	for (const kind of Object.keys(FIELDS) as SubjectKind[]) {
		expect(relationsFor(kind, true).length).toBeGreaterThan(2);
		expect(relationsFor(kind, false).filter((r) => events.includes(r.id))).toEqual([]);
	}
	expect(new Set(RELATIONS.map((r) => r.id)).size).toBe(RELATIONS.length);
});

it('docs/meaning.md has each relation with its tree and what it gives for a blank', () => {
	const docs = readFileSync('docs/meaning.md', 'utf8').replace(/ +/g, ' ');
	const none = new Schema({ types: [], lists: [], zone: 'UTC' });
	for (const r of RELATIONS) {
		const tree = printExpression(r.trees[0], none).text;
		const row = docs
			.split('\n')
			.find((l) => l.startsWith(`| ${r.label} |`) && l.includes(`\`${tree}\``));
		expect(row, `${r.label}: ${tree}`).toBeDefined();
		if (!r.event) expect(row).toContain(`| ${r.blank} |`);
	}
});
