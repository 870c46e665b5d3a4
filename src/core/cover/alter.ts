/**
 * Rule sets with one small mistake each: what somebody in a hurry writes instead of what was meant. What
 * is particular to a kind it says itself; formulas, conditions, holds and orders are altered for all alike.
 */
import type { Schema } from '../document/model';
import { refKey } from '../document/model';
import type { Hold, Rule, RuleSet } from '../document/rules';
import { claimId } from '../document/rules';
import type { BinOp, CmpOp, Expr, Test } from '../document/tree';
import { kindOf, mapBody, writerOf } from '../kinds';
import type { Slip as BodySlip } from '../kinds/spec';
import * as n from '../value/num';
import { parseNum } from '../value/num';

/** What is wrong with an altered rule. */
export type Slip =
	| BodySlip
	| 'switched off'
	| 'comparison turned'
	| 'number changed'
	| 'another option'
	| 'yes and no exchanged'
	| 'and and or exchanged'
	| 'calculation changed'
	| 'branches exchanged'
	| 'condition dropped'
	| 'a part of the condition dropped'
	| 'watched fields dropped'
	| 'hold weakened'
	| 'open to people'
	| 'every road'
	| 'not only on entering'
	| 'claim order exchanged';

/** A rule set with one mistake in it. */
export interface Alteration {
	/** Unique in the rule set. */
	key: string;
	rule: string;
	slip: Slip;
	/** The rule with the mistake; null where it is switched off or only the order is another. */
	altered: Rule | null;
	set: RuleSet;
}

const WEAKER: Partial<Record<Hold, Hold>> = { locked: 'follow', follow: 'fill', fill: 'once' };

/** Every alteration of one rule, in an order of its own. */
export function alterationsOf(set: RuleSet, rule: Rule, schema: Schema): Alteration[] {
	const out: Alteration[] = [];
	const at = set.rules.indexOf(rule);
	const add = (slip: Slip, altered: Rule) => {
		const rules = set.rules.with(at, altered);
		const key = `${rule.id} ${out.length}`;
		out.push({ key, rule: rule.id, slip, altered, set: { ...set, rules } });
	};
	add('switched off', { ...rule, off: true });
	for (const { slip, body } of kindOf(rule.body).alterations(rule.body, { schema, rule }))
		add(slip, { ...rule, body });
	for (const { slip, doc } of inBody(rule, schema)) add(slip, { ...rule, body: doc });
	if (rule.guard && 'expr' in rule.guard) {
		add('condition dropped', { ...rule, guard: null, entering: false });
		for (const { slip, doc } of altered(rule.guard.expr, schema))
			add(slip, { ...rule, guard: { expr: doc } });
		if (rule.entering) add('not only on entering', { ...rule, entering: false });
	}
	if (rule.watch) add('watched fields dropped', { ...rule, watch: null });
	if (rule.entryPoints) add('every road', { ...rule, entryPoints: null });
	if (writerOf(rule.body))
		rule.outputs.forEach((o, i) => {
			const weaker = WEAKER[o.hold];
			if (weaker && !o.adds)
				add('hold weakened', { ...rule, outputs: rule.outputs.with(i, { ...o, hold: weaker }) });
			if (o.closed)
				add('open to people', { ...rule, outputs: rule.outputs.with(i, { ...o, closed: false }) });
		});
	for (const o of writerOf(rule.body) ? rule.outputs : []) {
		const field = refKey(rule.type, o.field);
		const order = claimsOf(set, rule.type, o.field);
		const k = order.indexOf(claimId(rule.id, o.id));
		if (k < 1) continue;
		const other = [...order];
		[other[k - 1], other[k]] = [other[k], other[k - 1]];
		out.push({
			key: `${rule.id} order ${o.id}`,
			rule: rule.id,
			slip: 'claim order exchanged',
			altered: null,
			set: { ...set, order: { ...set.order, [field]: other } }
		});
	}
	return out;
}

/** The claims on a field in their order. */
function claimsOf(set: RuleSet, type: string, field: string): string[] {
	const all = set.rules
		.filter((r) => !r.off && r.type === type && writerOf(r.body))
		.flatMap((r) => r.outputs.filter((o) => o.field === field).map((o) => claimId(r.id, o.id)));
	const said = (set.order[refKey(type, field)] ?? []).filter((c) => all.includes(c));
	return [...said, ...all.filter((c) => !said.includes(c))];
}

interface Changed<T> {
	slip: Slip;
	doc: T;
}

/** Each formula and each cell of a body altered in turn. */
function inBody(rule: Rule, schema: Schema): Changed<Rule['body']>[] {
	const out: Changed<Rule['body']>[] = [];
	let places = 0;
	mapBody(rule, {
		formula: (f) => (places++, f),
		cell: (c) => (places++, c)
	});
	for (let place = 0; place < places; place++) {
		let found: Changed<unknown>[] = [];
		let k = 0;
		const here = <T extends object>(doc: T): T => {
			if (k++ === place)
				found =
					'expr' in doc
						? altered(doc.expr as Expr, schema).map((x) => ({ ...x, doc: { expr: x.doc } }))
						: 'tests' in doc
							? altered(doc, schema)
							: [];
			return doc;
		};
		mapBody(rule, { formula: here, cell: here });
		for (const { slip, doc } of found) {
			let j = 0;
			const put = <T>(was: T): T => (j++ === place ? (doc as T) : was);
			out.push({ slip, doc: mapBody(rule, { formula: put, cell: put }) });
		}
	}
	return out;
}

const TURNED: Partial<Record<BinOp, BinOp>> = {
	'<': '<=',
	'<=': '<',
	'>': '>=',
	'>=': '>',
	'=': '!=',
	'!=': '='
};
const CALCULATED: Partial<Record<BinOp, BinOp>> = { '+': '-', '-': '+', '*': '/', '/': '*' };

/** A tree, or what holds trees, with one node altered, each in turn. */
export function altered<T>(doc: T, schema: Schema): Changed<T>[] {
	if (typeof doc !== 'object' || doc === null) return [];
	const own =
		'k' in doc && typeof doc.k === 'string'
			? (ownAlterations(doc as unknown as Expr | Test, schema) as unknown as Changed<T>[])
			: [];
	if (Array.isArray(doc))
		return doc.flatMap((x: unknown, i) =>
			altered(x, schema).map((c) => ({ slip: c.slip, doc: doc.with(i, c.doc) as T }))
		);
	const inside = Object.entries(doc).flatMap(([key, x]: [string, unknown]) =>
		key === 'at'
			? []
			: altered(x, schema).map((c) => ({ slip: c.slip, doc: { ...doc, [key]: c.doc } }))
	);
	return [...own, ...inside];
}

function ownAlterations(e: Expr | Test, schema: Schema): Changed<Expr | Test>[] {
	switch (e.k) {
		case 'bin': {
			const turned = TURNED[e.op];
			if (turned) return [{ slip: 'comparison turned', doc: { ...e, op: turned } }];
			const other = CALCULATED[e.op];
			return other ? [{ slip: 'calculation changed', doc: { ...e, op: other } }] : [];
		}
		case 'cmp': {
			const turned = TURNED[e.op] as CmpOp | undefined;
			return turned ? [{ slip: 'comparison turned', doc: { ...e, op: turned } }] : [];
		}
		case 'and':
		case 'or':
			return [
				{ slip: 'and and or exchanged', doc: { ...e, k: e.k === 'and' ? 'or' : 'and' } },
				...(e.items.length > 1
					? e.items.map((_, i): Changed<Expr> => {
							const items = e.items.filter((_x, k) => k !== i);
							const doc = items.length === 1 ? items[0] : { ...e, items };
							return { slip: 'a part of the condition dropped', doc };
						})
					: [])
			];
		case 'num': {
			const v = parseNum(e.v);
			const more = v && n.add(v, n.num(1));
			return more ? [{ slip: 'number changed', doc: { ...e, v: String(more) } }] : [];
		}
		case 'bool':
			return [{ slip: 'yes and no exchanged', doc: { ...e, v: !e.v } }];
		case 'option': {
			const open = (schema.lists.get(e.list)?.options ?? []).filter((o) => !o.retired);
			const at = open.findIndex((o) => o.id === e.option);
			if (open.length < 2 || at < 0) return [];
			const other = open[(at + 1) % open.length];
			return [{ slip: 'another option', doc: { ...e, option: other.id } }];
		}
		case 'range':
			return [
				...(e.lo
					? [{ slip: 'limit belongs to the other side', doc: { ...e, loIn: !e.loIn } } as const]
					: []),
				...(e.hi
					? [{ slip: 'limit belongs to the other side', doc: { ...e, hiIn: !e.hiIn } } as const]
					: [])
			];
		case 'if':
			return [{ slip: 'branches exchanged', doc: { ...e, t: e.e, e: e.t } }];
		case 'call':
			return e.fn === 'not' && e.args.length === 1
				? [{ slip: 'comparison turned', doc: e.args[0] }]
				: [];
		default:
			return [];
	}
}
