/**
 * Rule sets with one planted mistake of each kind beside sound rules: found; their clean twins: nothing
 * found. `RIGID_SEEDS=n` tries n seeds.
 */
import { describe, expect, it } from 'vitest';
import type { FindingIs } from '../kinds/catalogue';
import { FINDINGS } from '../kinds/catalogue';
import { compilePlan } from '../plan/plan';
import { zones } from '../../runtime/zones';
import { confirm } from '../../../tests/confirm';
import { bands, check, options, rule, schema, type More } from '../../../tests/deals';
import { Chance } from '../../../tests/chance';
import { plant } from '../../../tests/planting';
import type { Part } from '../../../tests/plants';
import type { Definition, ReferenceTable } from '../document/model';
import type { Body, Rule, RuleSet } from '../document/rules';
import { Kept, analyse } from './findings';
import type { Overruled } from './types';

const SEEDS = Number(process.env.RIGID_SEEDS ?? 300);
const KINDS = Object.keys(FINDINGS) as FindingIs[];

function look({ set, overruled, trials }: Part & { set: RuleSet }, kept?: Kept) {
	const plan = compilePlan(schema, set);
	return { plan, ...analyse(plan, set, zones, { overruled, trials, kept }) };
}

/** What goes wrong with a seed, in words; empty when nothing does. */
function wrongWith(is: FindingIs, seed: number): string[] {
	const { planted, clean, also } = plant(is, seed);
	const said: string[] = [];
	const sick = look(planted);
	const mine = new Set(planted.rules.map((r) => r.id));
	if (!sick.findings.some((f) => f.is === is)) said.push('missed');
	for (const f of sick.findings) {
		if (f.is !== is && !also.includes(f.is)) said.push(`also ${f.is}: ${f.message}`);
		if (f.rule && !mine.has(f.rule)) said.push(`at a sound rule: ${f.message}`);
		if (!f.witness && !f.certificate) said.push(`without proof: ${f.message}`);
		if (f.witness && confirm(sick.plan, f) !== 'shown') said.push(`not shown: ${f.message}`);
	}
	for (const f of look(clean).findings) said.push(`false at the twin: ${f.is}, ${f.message}`);
	return said;
}

describe('one planted mistake', () => {
	it.each(KINDS)(
		'of the kind “%s” is found, and its twin is clean',
		(is) => {
			const times = Math.ceil(SEEDS / KINDS.length);
			const wrong: string[] = [];
			for (let n = 0; n < times && wrong.length < 5; n++)
				for (const w of wrongWith(is, KINDS.indexOf(is) + n * KINDS.length))
					wrong.push(`seed ${n}: ${w}`);
			expect(wrong).toEqual([]);
		},
		3_600_000
	);
});

/** A draft of rules that bear on each other, of which an edit changes one thing; the rest is the same object. */
class Draft {
	private readonly all: Rule[];
	private readonly there = new Set<string>();
	private order: Record<string, string[]> = {};
	private tables: ReferenceTable[] = [];
	private definitions: Definition[] = [];
	private overruled: Record<string, Overruled> = {};

	constructor(private readonly c: Chance) {
		const some = Array.from({ length: 4 }, () => plant(c.of(KINDS), c.int(1, 10_000)));
		this.all = c.mixed([...TOGETHER, ...some.flatMap((p) => c.of([p.planted, p.clean]).rules)]);
		for (const r of this.all) if (c.int(0, 1)) this.there.add(r.id);
	}

	edit() {
		const { c, all, there } = this;
		const what = c.int(0, 9);
		if (what < 5) {
			const { id } = c.of(all);
			if (!there.delete(id)) there.add(id);
		} else if (what === 5) {
			const field = c.of(['share', 'size', 'note']);
			const ids = all
				.filter((r) => r.outputs.some((o) => o.field === field))
				.map((r) => `${r.id}:o`);
			this.order = { ...this.order, [`deal.${field}`]: c.mixed(ids) };
		} else if (what === 6) this.tables = [RATES[c.int(0, 2)], DESK[c.int(0, 2)]];
		else if (what === 7)
			this.definitions = [
				{ ...WORKED_OUT, body: { text: c.of(['Amount > 5', 'true', 'Urgent and']) } }
			];
		else if (what === 8)
			this.overruled = {
				[`${TOGETHER[0].id}:o`]: { wrote: 20, overruled: c.int(0, 20), since: '2026-08-25' }
			};
		else {
			const i = all.indexOf(c.of(all));
			all[i] = { ...all[i], ...c.of([{ name: 'Another name' }, { off: true }, { off: false }]) };
		}
	}

	get part(): Part & { set: RuleSet } {
		const rules = this.all.filter((r) => this.there.has(r.id));
		const { order, tables, definitions, overruled } = this;
		return { rules, set: { rules, order, tables, definitions }, overruled };
	}
}

const WORKED_OUT = {
	id: 'd1',
	name: 'Worked out',
	why: '',
	type: 'deal',
	params: [],
	result: null
};
const text = (id: string) => ({ id, label: id, type: 'text' as const });
const rows = (...names: string[]): ReferenceTable => ({
	id: 'rates',
	label: 'Rates',
	why: '',
	columns: [text('name'), { ...text('rate'), type: 'number' }],
	keys: [{ match: 'exact', column: 'name' }],
	rows: names.map((n, i) => [n, String(i)])
});
const RATES = [rows('a', 'b'), rows('a', 'a'), rows()];
const stages = (...named: string[]): ReferenceTable => ({
	...rows(...named),
	id: 'desk',
	label: 'Desk',
	columns: [
		{ ...text('name'), type: 'choice', list: 'stage' },
		{ ...text('rate'), type: 'number' }
	]
});
const DESK = [
	stages('open', 'won', 'lost'),
	stages('open'),
	{ ...stages(), missing: 'mistake' as const }
];
const looksUp = (table: string, key: string): Body => ({
	kind: 'lookup',
	table,
	keys: [{ text: key }],
	columns: ['rate'],
	several: 'first'
});
const lockedOutput = { hold: 'locked' as const, none: 'clear' as const };
const state = (
	field: string,
	s: 'required' | 'hidden' | 'limited',
	more: More = {},
	left: string[] = []
) =>
	rule(
		field,
		{ kind: 'state', state: s, options: left, always: false },
		{ kind: 'validate', ...more }
	);
/** Rules of which each bears on others: on one field, by what they read, as checks of the same, by a table or a definition. */
const TOGETHER: readonly Rule[] = [
	rule('share', 'otherwise(Amount, 0) + 1'),
	rule('share', 'otherwise(Score, 0) * 2', { if: 'Urgent' }),
	rule('share', 'otherwise(Score, 0) * 3', { output: lockedOutput }),
	rule('share', '70', { if: 'changed(Stage)' }),
	rule('share', looksUp('rates', 'Company')),
	rule('score', looksUp('desk', 'Stage')),
	rule('score', 'if Worked out then 1 else null'),
	rule('rate', '5', { if: 'Worked out' }),
	state('share', 'required'),
	rule('share', check('Share < 60'), { kind: 'validate' }),
	rule('note', check('Share > 80'), { kind: 'validate' }),
	rule('title', check('Share < 10', false), { kind: 'validate' }),
	rule('size', options({ open: 'small', won: 'large', lost: 'small' })),
	rule('size', bands(['10'], ['small', 'large'], 'Share')),
	state('size', 'limited', {}, ['small', 'medium']),
	state('size', 'limited', { if: 'Share > 5' }, ['large']),
	state('note', 'required', { if: 'Stage = "Won"' }),
	state('note', 'hidden', { if: 'Stage = "Won"' }),
	rule('stage', options({ won: 'open', open: 'won', lost: 'lost' }), {
		each: 'firm',
		watch: ['key']
	})
].map((r, i) => ({ ...r, id: `together${i}` }));

describe('what an analysis says is kept', () => {
	it('and after any series of edits equals what analysing all says', () => {
		const series = Math.min(Math.ceil(SEEDS / 10), 300);
		let findings = 0;
		for (let seed = 1; seed <= series; seed++) {
			const draft = new Draft(new Chance(seed));
			const kept = new Kept();
			for (let n = 0; n < 12; n++) {
				draft.edit();
				const { part } = draft;
				const { plan: _, ...once } = look(part, kept);
				const { plan: __, ...all } = look(part);
				expect(once, `series ${seed}, edit ${n}`).toEqual(all);
				findings += all.findings.length;
			}
		}
		expect(findings).toBeGreaterThan(series * 12);
	}, 3_600_000);

	it('an edit looks again at what it touches, and at nothing else', () => {
		const rules = [
			rule('share', 'otherwise(Amount, 0) + 1'),
			rule('score', 'otherwise(Share, 0) + 1'),
			rule('note', 'upper case(Title)'),
			rule('size', options({ open: 'small', won: 'large', lost: 'small' }))
		];
		const kept = new Kept();
		const looked = (set: RuleSet) => {
			const before = set.rules.map((r) => kept.of(r.id));
			look({ rules: set.rules, set }, kept);

			return set.rules.filter((r, i) => kept.of(r.id) !== before[i]).map((r) => r.outputs[0].field);
		};
		const set: RuleSet = { rules, order: {} };
		expect(looked(set)).toEqual(['share', 'score', 'note', 'size']);
		expect(looked(set)).toEqual([]);
		// what reads the field of the rule that changed is looked at too
		const named = { ...set, rules: [{ ...rules[0], name: 'Another' }, ...rules.slice(1)] };
		expect(looked(named)).toEqual(['share', 'score']);
		expect(looked({ ...named, tables: [], order: { 'deal.note': [`${rules[2].id}:o`] } })).toEqual([
			'note'
		]);
	});
});
