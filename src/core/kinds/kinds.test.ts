/** What holds for every kind of rule, whatever it does: a new kind is tried here without being named. */
import { describe, expect, it } from 'vitest';
import { demoModel } from '../../../demo/model';
import { demoDraft } from '../../../demo/rules';
import { checkRule } from '../../door';
import type { Field } from '../document/model';
import { Schema } from '../document/model';
import { MESSAGES, type Body, type Formula, type Rule } from '../document/rules';
import { compilePlan } from '../plan/plan';
import { FINDINGS } from './catalogue';
import {
	KINDS,
	judgeOf,
	kindOf,
	limitsOf,
	mapBody,
	offersAt,
	repairBody,
	senderOf,
	sheetOf,
	withoutOutput,
	writerOf
} from './index';
import type { BodyRepair, Offer, Place } from './spec';

const schema = new Schema(demoModel).with(demoDraft);
const plan = compilePlan(schema, demoDraft);
const MESSAGES_FIELD: Field = { id: MESSAGES, label: 'Messages', group: '', type: 'text' };
const everyField = schema.model.types.flatMap((t) =>
	[...t.fields, MESSAGES_FIELD].map((field) => ({ type: t.id, field }))
);
const ruleOf = (type: string, field: Field, o: ReturnType<typeof offersAt>[number]): Rule => ({
	id: 'fresh',
	type,
	kind: o.verb,
	name: 'Fresh',
	why: '',
	moments: ['created', 'changed'],
	entryPoints: null,
	watch: null,
	entering: false,
	guard: null,
	outputs:
		field.id === MESSAGES
			? []
			: [field.id, ...(o.also ? [o.also] : [])].map((f, i) => ({
					id: `o${i}`,
					field: f,
					hold: 'follow' as const,
					none: 'next' as const
				})),
	body: o.make()
});

describe('every kind of rule', () => {
	it('is there under its own name, and is used by the demo', () => {
		for (const [name, kind] of Object.entries(KINDS)) {
			const made = everyField
				.flatMap(({ type, field }) => kind.offers({ schema, type, field }) as Offer<Body>[])
				.map((o) => o.make().kind);
			expect(new Set(made), name).toEqual(new Set([name]));
			expect(
				demoDraft.rules.some((r) => r.body.kind === name),
				name
			).toBe(true);
		}
	});

	it('offers what the door takes, at every field where it offers anything', () => {
		let n = 0;
		for (const { type, field } of everyField)
			for (const o of offersAt({ schema, type, field })) {
				n++;
				const rule = ruleOf(type, field, o);
				expect(() => checkRule(rule), `${field.id}: ${o.label}`).not.toThrow();
				// unfinished, it says what is missing, and breaks nothing
				expect(() => compilePlan(schema, { rules: [rule], order: {} })).not.toThrow();
				expect([o.label, o.help, o.name].every(Boolean)).toBe(true);
			}
		expect(n).toBeGreaterThan(500);
	});

	it('does one of three things, and is found by it', () => {
		for (const { body } of demoDraft.rules) {
			const found = [writerOf(body), judgeOf(body), senderOf(body)].filter(Boolean);
			expect(found).toEqual([kindOf(body)]);
		}
		const sending = demoDraft.rules.find((r) => senderOf(r.body))!;
		expect(sheetOf(sending)).toBe(MESSAGES);
	});

	it('walks over each of its formulas, texts and cells once, each at a place of its own', () => {
		for (const rule of demoDraft.rules) {
			const places: Place[] = [];
			const note = <T>(x: T, place: Place): T => {
				places.push(place);
				return x;
			};
			// nothing changed: the very same body
			expect(mapBody(rule, { formula: note, text: note, cell: note })).toBe(rule.body);
			expect(new Set(places).size, rule.id).toBe(places.length);
			// as many as the document holds
			const held = JSON.stringify(rule.body).match(/\{"(expr|text|tests)":/g)?.length ?? 0;
			let met = 0;
			mapBody(rule, {
				formula: (f) => (met++, f),
				cell: (c) => (met++, c),
				text: (t) => ((met += t.filter((x) => typeof x !== 'string').length), t)
			});
			expect(met, rule.id).toBe(held);
		}
	});

	it('puts in what it is given, where it was', () => {
		const mark: Formula = { text: 'mark' };
		for (const rule of demoDraft.rules) {
			const next = mapBody(rule, { formula: () => mark });
			const met: Formula[] = [];
			mapBody({ ...rule, body: next }, { formula: (f) => (met.push(f), f) });
			expect(met.every((f) => f === mark)).toBe(true);
			expect(next.kind).toBe(rule.body.kind);
		}
	});

	it('lets go of what it held for an output that is taken away', () => {
		const several = demoDraft.rules.filter((r) => r.outputs.length > 1);
		expect(several.length).toBeGreaterThan(1);
		for (const rule of several)
			for (const at of rule.outputs.keys()) {
				const less = withoutOutput(rule, at);
				expect(less.outputs).toEqual(rule.outputs.filter((_, i) => i !== at));
				expect(less.body.kind).toBe(rule.body.kind);
				// what is left for the others still gives them the same
				const kept = rule.outputs.flatMap((_, i) => (i === at ? [] : [i]));
				const results = (r: Rule, i: number) => writerOf(r.body)!.results(r.body, i);
				kept.forEach((was, now) => expect(results(less, now)).toEqual(results(rule, was)));
			}
	});

	it('takes the repairs that fit it, and no other changes it', () => {
		const repairs: BodyRepair[] = [
			{ do: 'take gap', band: 0 },
			{ do: 'say blank' },
			{ do: 'map option', option: 'x', values: ['y'] },
			{ do: 'squeeze', formula: 0 },
			{ do: 'leave several' }
		];
		for (const rule of demoDraft.rules)
			for (const r of repairs) {
				const fits = r.do in kindOf(rule.body).repairs;
				const next = repairBody(rule, r, schema);
				if (!fits) expect(next).toBe(rule.body);
				else expect(() => checkRule({ ...rule, body: next })).not.toThrow();
				expect(next.kind).toBe(rule.body.kind);
			}
	});

	it('names what it reads of tables and of records it finds, and the model has them', () => {
		for (const { body } of demoDraft.rules) {
			for (const id of kindOf(body).tables(body)) expect(schema.tables.has(id)).toBe(true);
			for (const f of writerOf(body)?.finds(body) ?? [])
				expect(schema.field(f.type, f.field)).toBeDefined();
		}
		expect(plan.matched.size).toBeGreaterThan(0);
	});
});

describe('limits to try around', () => {
	it('are those of bands on a field, and nothing of other kinds', () => {
		const rule = demoDraft.rules.find((r) => r.id === 'size_class')!;
		expect(limitsOf(rule, schema)).toMatchObject({ field: 'headcount' });
		expect(limitsOf(rule, schema)!.at.length).toBeGreaterThan(1);
		for (const r of demoDraft.rules) if (!writerOf(r.body)) expect(limitsOf(r, schema)).toBeNull();
	});
});

describe('the catalogue of findings', () => {
	it('says of each what it proves and what helps, in words of its own', () => {
		const all = Object.values(FINDINGS);
		for (const f of all) {
			expect(f.proves.length).toBeGreaterThan(15);
			expect(f.helps.length).toBeGreaterThan(8);
			expect(['blocking', 'advisory']).toContain(f.gravity);
		}
		expect(new Set(all.map((f) => f.proves)).size).toBe(all.length);
	});
});
