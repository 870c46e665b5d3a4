/** Bundles from anywhere, taken by any workspace: in bounded time, and never further than the door where they are unsound. */
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { demoModel } from '../../demo/model';
import { demoDraft } from '../../demo/rules';
import { demoTrials } from '../../demo/trials';
import { spoilt, steps } from '../../tests/spoilt';
import {
	Carrier,
	Schema,
	compareVersions,
	compilePlan,
	identitiesOf,
	meet,
	modelOffers,
	modelWith,
	partKey,
	plainWords,
	runTrial,
	withTaken,
	type BundleSide
} from '../core';
import { zones } from '../runtime/zones';
import { BadInput, checkBundle, checkRehearsal } from '.';

const kinds = new Map(demoDraft.rules.map((r) => [r.body.kind, r]));
const document = {
	format: 'rigid-rule/bundle',
	version: 1,
	name: 'Draft',
	of: 'Quillmere',
	made: '2026-11-24T09:00:00Z',
	...demoDraft,
	accepted: [],
	rules: [...kinds.values()],
	model: demoModel,
	trials: demoTrials.slice(0, 4),
	records: [{ type: 'engineer', id: '2', title: 'x', key: { field: 'name', value: 'x' } }]
};
const here: BundleSide = { model: demoModel, set: demoDraft, trials: demoTrials };
const nothing: BundleSide = {
	model: { types: [], lists: [], zone: 'UTC' },
	set: { rules: [], order: {} },
	trials: []
};

describe('a bundle', () => {
	it('passes the door as it was made', () => {
		const { set, ...rest } = checkBundle(structuredClone(document));
		expect(set.rules).toEqual(document.rules);
		expect(rest.trials).toEqual(document.trials);
		expect(rest.records).toEqual(document.records);
	});
	it('is rehearsed as a version from a file; what is none is refused with its place', () => {
		const file = { name: 'b.json', as: 'after', document: structuredClone(document) };
		const asked = checkRehearsal({ before: 3, file });
		expect(asked).toMatchObject({ before: 3, selection: null, period: null });
		expect(asked.file).toMatchObject({
			name: 'b.json',
			as: 'after',
			set: { rules: document.rules }
		});
		// rows that are edited in force do not come along
		for (const t of asked.file!.set.tables ?? []) if (t.living) expect(t.rows).toEqual([]);
		expect(checkRehearsal({ before: 3 })).not.toHaveProperty('file');
		for (const [more, says] of [
			[{ as: 'both' }, 'file.as'],
			[{ name: '' }, 'file.name'],
			[{ document: { format: 'x' } }, 'file.document: format must be'],
			[{ document: { ...document, rules: [{ id: 'x' }] } }, 'file.document: rules[0]'],
			[{ more: 1 }, 'more']
		] as const)
			expect(() => checkRehearsal({ file: { ...file, ...more } })).toThrow(says);
	});
	it('that is spoilt is refused with its place, or taken by any workspace like any other', () => {
		fc.assert(
			fc.property(fc.array(steps, { minLength: 1, maxLength: 2 }), (how) => {
				const doc = how.reduce<unknown>((d, s) => spoilt(d, s), document);
				let bundle;
				try {
					bundle = checkBundle(doc);
				} catch (e) {
					expect(e).toBeInstanceOf(BadInput);
					return;
				}
				const from = { model: bundle.model, set: bundle.set, trials: bundle.trials };
				for (const to of [here, nothing]) {
					const met = meet(from, to);
					const ids = identitiesOf(met, new Map());
					const model = modelWith(from.model, to.model, ids, met);
					modelOffers(to.model, model);
					const schema = new Schema(from.model, from.set);
					const carrier = new Carrier(schema, ids, from.set.rules);
					const set = carrier.set(from.set);
					const all = new Set(set.rules.map((r) => partKey('rule', r.id)));
					const next = withTaken(to.set, set, all);
					const plan = compilePlan(new Schema(model, next), next);
					for (const t of bundle.trials) runTrial(plan, carrier.trial(t), zones);
					compareVersions(
						{ model, set: to.set },
						{ model, set: next },
						(s) => plainWords(s, next.rules).say
					);
				}
			}),
			{ numRuns: Number(process.env.RIGID_RUNS ?? 80) }
		);
	});
	it('of a model with very many parts meets another without a list of all for each of them', () => {
		const options = Array.from({ length: 2000 }, (_, i) => ({ id: `o${i}`, label: `Option ${i}` }));
		const lists = Array.from({ length: 50 }, (_, i) => ({
			id: `l${i}`,
			label: `List ${i}`,
			options
		}));
		const big = { ...nothing, model: { ...nothing.model, lists } };
		const met = meet(big, {
			...big,
			model: { ...big.model, lists: lists.map((l) => ({ ...l, options: options.toReversed() })) }
		});
		expect(met.filter((m) => m.isNew)).toEqual([]);
	});
});
