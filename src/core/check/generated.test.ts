/**
 * Generated rule sets: what is found is shown by its record, what is said of every record holds of
 * every record tried, and no gap that trying all values finds is missed. `RIGID_RUNS=n` runs more.
 */
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import type { JsonValue } from '../fields/codec';
import type { Body, Limit, Rule, RuleSet } from '../document/rules';
import { claimId } from '../document/rules';
import { compilePlan } from '../plan/plan';
import { zones } from '../../runtime/zones';
import { confirm } from '../../../tests/confirm';
import { rule, run, schema } from '../../../tests/world';
import { analyse } from './findings';

const runs = { numRuns: Number(process.env.RIGID_RUNS ?? 150), seed: 20261124 };
const STAGES = ['enquiry', 'survey', 'offer', 'won', 'lost'];
const LABELS = ['Enquiry', 'Survey', 'Offer', 'Won', 'Lost'];
const SIZES = ['micro', 'small', 'medium', 'large'];

const number = fc.integer({ min: 0, max: 4 }).map(String);
const label = fc.constantFrom(...LABELS);
const op = fc.constantFrom('<', '<=', '>', '>=', '=', '!=');

/** Conditions that only compare fields with constants. */
const comparison = fc.oneof(
	fc.tuple(fc.constantFrom('A', 'C'), op, number).map((x) => x.join(' ')),
	fc.tuple(fc.constantFrom('=', '!='), label).map(([o, l]) => `Stage ${o} "${l}"`),
	fc.constantFrom('Flag', 'Flag = false', 'not(Flag)', 'is blank(A)', 'not(is blank(Stage))'),
	fc.tuple(number, number).map(([a, b]) => `A in [${a}..${b}]`),
	fc.tuple(number, number).map(([a, b]) => `C between ${a} and ${b}`),
	fc
		.uniqueArray(label, { minLength: 1, maxLength: 3 })
		.map((ls) => `Stage in (${ls.map((l) => `"${l}"`).join(', ')})`)
);
const condition = fc.oneof(
	comparison,
	fc
		.tuple(comparison, fc.constantFrom('and', 'or'), comparison)
		.map(([a, o, b]) => `(${a}) ${o} (${b})`),
	fc
		.tuple(comparison, comparison, comparison)
		.map(([a, b, c]) => `if ${a} then (${b}) else not(${c})`)
);

const limits = fc
	.uniqueArray(fc.integer({ min: 0, max: 4 }), { minLength: 1, maxLength: 3 })
	.chain((xs) =>
		fc.tuple(
			fc.constant(xs.sort((a, b) => a - b)),
			fc.array(fc.constantFrom<Limit['belongs']>('above', 'below'), {
				minLength: xs.length,
				maxLength: xs.length
			})
		)
	)
	.map(([xs, sides]) => xs.map((at, i): Limit => ({ at: String(at), belongs: sides[i] })));
const size = fc.constantFrom(...SIZES);
const bands = limits.chain((ls) =>
	fc
		.tuple(
			fc.array(fc.option(size, { freq: 2 }), {
				minLength: ls.length + 1,
				maxLength: ls.length + 1
			}),
			fc.constantFrom({ none: true as const }, null)
		)
		.map(([results, blank]): Body => ({
			kind: 'bands',
			input: { text: 'A' },
			limits: ls,
			results: results.map((r) => (r ? [r] : null)),
			blank
		}))
);
const options = fc
	.tuple(
		fc.dictionary(fc.constantFrom(...STAGES), size),
		fc.constantFrom({ none: true as const }, null)
	)
	.map(([rows, blank]): Body => ({
		kind: 'options',
		input: 'stage',
		rows: Object.fromEntries(Object.entries(rows).map(([k, v]) => [k, [v]])),
		blank
	}));
const formulaBody = fc.tuple(comparison, size, fc.option(size)).map(([c, a, b]): Body => {
	const say = (s: string | null) => (s ? `"${s[0].toUpperCase()}${s.slice(1)}"` : 'null');
	return { kind: 'formula', formulas: [{ text: `if ${c} then ${say(a)} else ${say(b)}` }] };
});
const cell = fc.oneof(
	fc.constant('-'),
	number,
	number.map((n) => `< ${n}`),
	number.map((n) => `>= ${n}`)
);
const table = fc
	.tuple(
		fc.constantFrom('U' as const, 'F' as const, 'A' as const),
		fc.array(
			fc.tuple(
				cell,
				fc.oneof(
					fc.constant('-'),
					label.map((l) => `"${l}"`)
				),
				size
			),
			{
				minLength: 1,
				maxLength: 4
			}
		)
	)
	.map(([hit, rows]): Body => ({
		kind: 'table',
		hit,
		inputs: [{ text: 'A' }, { text: 'Stage' }],
		rows: rows.map(([a, s, then], i) => ({
			id: `r${i}`,
			when: [{ text: a }, { text: s }],
			then: [{ text: `"${then[0].toUpperCase()}${then.slice(1)}"` }]
		}))
	}));

const oneRule = fc
	.record({
		body: fc.oneof(bands, options, formulaBody, table),
		guard: fc.option(condition),
		none: fc.constantFrom('next' as const, 'leave' as const, 'clear' as const),
		moments: fc.constantFrom<Rule['moments']>(
			['created', 'changed', 'request'],
			['created'],
			['changed']
		),
		entryPoints: fc.constantFrom<Rule['entryPoints']>(null, null, ['import', 'api'], ['full']),
		hold: fc.constantFrom('follow' as const, 'follow' as const, 'fill' as const)
	})
	.map(({ body, guard, none, moments, entryPoints, hold }) =>
		rule('size', body, {
			moments,
			entryPoints,
			...(guard ? { guard: { text: guard } } : {}),
			output: { none, hold }
		})
	);
const checkRule = fc
	.tuple(condition, fc.option(condition))
	.map(([holds, guard]) =>
		rule(
			'a',
			{ kind: 'check', holds: { text: holds }, message: ['No'], blocking: true, always: false },
			{ kind: 'validate', ...(guard ? { guard: { text: guard } } : {}) }
		)
	);
const rules = fc
	.tuple(fc.array(oneRule, { minLength: 1, maxLength: 3 }), fc.array(checkRule, { maxLength: 2 }))
	.map(([a, b]): RuleSet => ({ rules: [...a, ...b], order: {} }));

/** Every record over small domains: half steps beyond each end, each option, yes and no, and blanks. */
function* everyRecord(): Generator<Record<string, JsonValue>> {
	const numbers = [...Array.from({ length: 12 }, (_, i) => String(i / 2 - 0.5)), null];
	for (const a of numbers)
		for (const stage of [...STAGES, null])
			for (const flag of [true, false, null])
				for (const c of ['-1', '0', '1', '2', '3', '4', '5', null]) yield { a, stage, flag, c };
}
const records = [...everyRecord()];
/** One in thirteen of them, which still meets every value of each field. */
const some = records.filter((_, i) => i % 13 === 0);

const analysed = (set: RuleSet) => {
	const plan = compilePlan(schema, set);
	return { plan, ...analyse(plan, set, zones) };
};

describe('on generated rule sets', () => {
	it('every finding has a proof, and a record that is given shows it', () => {
		let shown = 0;
		fc.assert(
			fc.property(rules, (set) => {
				const { plan, findings } = analysed(set);
				for (const f of findings) {
					expect(!!f.witness || !!f.certificate).toBe(true);
					if (!f.witness) continue;
					expect(`${f.message} ${confirm(plan, f)}`).toBe(`${f.message} shown`);
					shown++;
				}
				expect(new Set(findings.map((f) => f.id)).size).toBe(findings.length);
			}),
			runs
		);
		expect(shown).toBeGreaterThan(runs.numRuns);
	}, 120_000);

	it('a condition said to hold never or always does so at every record, and none that does is missed', () => {
		const seen = { never: 0, always: 0, depends: 0 };
		fc.assert(
			fc.property(condition, (text) => {
				const r = rule('b', '1', { guard: { text } });
				const { plan, findings, open } = analysed({ rules: [r], order: {} });
				expect(open.filter((o) => o.message.startsWith('Its condition'))).toEqual([]);
				const guard = plan.claims.get(claimId(r.id, 'o'))!;
				let [yes, no] = [0, 0];
				for (const sent of records) {
					if (yes && no) break;
					const w = run(plan, sent, { was: null }).reports.find((x) => x.claim === guard.id)!;
					if (['guard false', 'guard unknown'].includes(w.outcome)) no++;
					else yes++;
				}
				const truth = yes && no ? 'depends' : yes ? 'always' : 'never';
				seen[truth]++;
				const said = findings.map((f) => f.message).join();
				expect(`${text}: ${said}`).toContain(
					{ never: 'can never hold', always: 'always holds', depends: '' }[truth]
				);
				if (truth === 'depends') expect(`${text}: ${said}`).not.toMatch(/never hold|always holds/);
			}),
			runs
		);
		expect(seen.never).toBeGreaterThan(3);
		expect(seen.depends).toBeGreaterThan(30);
	}, 120_000);

	it('a claim said to be outranked, or to give nothing, never gives its field a value', () => {
		let times = 0;
		fc.assert(
			fc.property(rules, (set) => {
				const { plan, findings } = analysed(set);
				const idle = findings.filter((f) =>
					/never gives|in any case|can never match/.test(f.message)
				);
				const whole = idle.filter((f) => !f.message.includes('Row'));
				times += whole.length;
				for (const f of whole)
					for (const entry of ['full', 'import'] as const)
						for (const sent of some)
							for (const was of [null, {}]) {
								const { reports } = run(plan, sent, { was, entry });
								const { outcome } = reports.find((x) => x.rule === f.rule)!;
								expect(`${f.message} ${outcome}`).not.toMatch(/ (wrote|same value)$/);
							}
			}),
			runs
		);
		expect(times).toBeGreaterThan(3);
	}, 120_000);

	it('no band, option or row is left without a value that the analysis does not tell of', () => {
		let gaps = 0;
		fc.assert(
			fc.property(oneRule, fc.option(oneRule), (r, above) => {
				const set: RuleSet = { rules: above ? [above, r] : [r], order: {} };
				const { plan, findings, open } = analysed(set);
				const mine = findings.filter((f) => f.rule === r.id);
				if (r.body.kind === 'formula' || open.some((o) => o.rule === r.id)) return;
				// one of which nothing is said yet says that, and does nothing
				if (mine.some((f) => f.is === 'unfinished')) return;
				const entry = r.entryPoints?.[0] ?? 'full';
				const was = r.moments.includes('created') ? null : {};
				const untold = new Set<string>();
				for (const sent of some) {
					const rep = run(plan, sent, { was, entry }).reports.find((x) => x.rule === r.id)!;
					if (!['no row', 'several rows', 'left', 'cleared'].includes(rep.outcome)) continue;
					// a rule that clears or leaves on a blank that its author decided about has done what it should
					if (r.body.kind !== 'table' && (r.body.kind === 'bands' ? sent.a : sent.stage) === null)
						continue;
					gaps++;
					if (!mine.some((f) => f.witness)) untold.add(JSON.stringify(sent));
				}
				expect([...untold].slice(0, 3)).toEqual([]);
			}),
			runs
		);
		expect(gaps).toBeGreaterThan(1000);
	}, 120_000);
});
