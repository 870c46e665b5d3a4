import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { demoModel } from '../../../demo/model';
import { demoReleases } from '../../../demo/rules';
import { demoTrials } from '../../../demo/trials';
import { Schema, compilePlan, runTrial, type Trial } from '$core';
import { zones } from '../../runtime/zones';
import { readCells, writeCells } from '../work/csv';
import { fitsCells, trialsFromCells, trialsToCells } from './csv';

const { set } = demoReleases.at(-1)!;
const schema = new Schema(demoModel);
const plan = compilePlan(schema, set);
const at = '2026-11-23T09:00:00.000Z';
const back = (trials: readonly Trial[]) => {
	const read = readCells(writeCells(trialsToCells(trials, schema)));
	if (!read.ok) throw new Error(read.message);
	const r = trialsFromCells(read.cells, schema, at);
	if (!r.ok) throw new Error(r.message);
	return r.trials;
};
/** What a trial says, without its identity, what nobody asked for, and the order of what was before. */
const said = ({ id: _id, person: _person, was, sent, expect: x, ...t }: Trial) => ({
	...t,
	was: was && Object.fromEntries(Object.entries(was).sort()),
	sent: new Map(sent),
	expect: [...x].sort((a, b) => JSON.stringify(a).localeCompare(JSON.stringify(b)))
});

describe('trials as lines', () => {
	const fitting = demoTrials.filter(fitsCells);
	it('come back as they were, and hold as they did', () => {
		expect(fitting.length).toBeGreaterThan(40);
		const again = back(fitting);
		expect(again.map(said)).toEqual(fitting.map(said));
		for (const t of again) expect(runTrial(plan, t, zones).held).toBe(true);
		expect(new Set(again.map((t) => t.id)).size).toBe(again.length);
	});
	it('those that no line holds are left out', () => {
		const [t] = fitting;
		const more: Trial[] = [
			{ ...t, then: [{ sent: [], entryPoint: 'full', at, expect: [] }] },
			{ ...t, rows: [{ sent: [], expect: [] }] },
			{ ...t, near: [{ type: 'customer', id: '1', values: {} }] },
			{ ...t, expect: [{ refused: true }] },
			{ ...t, expect: [{ field: 'size_class', value: 'small', not: true }] }
		];
		expect(more.some(fitsCells)).toBe(false);
		expect(trialsToCells(more, schema)).toHaveLength(1);
	});
	it.each<[string[][], string]>([
		[[], 'no line'],
		[[['Name']], 'no line'],
		[[['Name'], ['x']], 'Record type is missing'],
		[
			[
				['Record type', 'Magic'],
				['Customer', 'x']
			],
			'Column 2: “Magic” is none'
		],
		[
			[
				['Record type', 'sent: Customer › Nothing'],
				['Customer', 'x']
			],
			'Column 2'
		],
		[[['Record type'], ['Planet']], 'Line 2: there is no record type “Planet”'],
		[
			[
				['Record type', 'Road'],
				['Customer', 'air']
			],
			'Line 2: there is no road “air”'
		],
		[
			[
				['Record type', 'Moment'],
				['Customer', 'soon']
			],
			'“soon” is no moment'
		],
		[
			[
				['Record type', 'sent: Customer › Headcount'],
				['Customer', 'many']
			],
			'Line 2, sent: Customer › Headcount:'
		],
		[
			[
				['Record type', 'sent: Deal › Stage'],
				['Customer', 'Won']
			],
			'the trial is of a Customer'
		],
		[
			[
				['Record type', 'before: Customer › Headcount'],
				['Customer', '1']
			],
			'holds nothing before'
		],
		[
			[
				['Record type', 'sent: Customer › Headcount'],
				['Customer', '1']
			],
			'it expects nothing'
		]
	])('%j is told: %s', (cells, message) => {
		const r = trialsFromCells(cells, schema, at);
		expect(r.ok ? '' : r.message).toContain(message);
	});
	it('labels in any writing are known, an empty cell says nothing, the word blank is a blank', () => {
		const r = trialsFromCells(
			[
				[
					'record TYPE',
					'Record',
					'SENT: customer › headcount',
					'Gives: Customer › Size class',
					'before: Customer › Phone'
				],
				['customer', 'stored', 'Blank', 'blank', '']
			],
			schema,
			at
		);
		expect(r).toMatchObject({
			ok: true,
			trials: [
				{
					type: 'customer',
					was: {},
					sent: [['headcount', null]],
					expect: [{ field: 'size_class', value: null }],
					entryPoint: 'full',
					at
				}
			]
		});
	});
	it('whatever cells hold, what is wrong is told and nothing is thrown', () => {
		fc.assert(
			fc.property(
				fc.array(
					fc.array(
						fc.oneof(
							fc.string(),
							fc.constantFrom('Record type', 'Customer', 'sent: Customer › Headcount')
						),
						{ maxLength: 5 }
					),
					{ maxLength: 5 }
				),
				(cells) => {
					const r = trialsFromCells(cells, schema, at);
					expect(typeof r.ok).toBe('boolean');
				}
			)
		);
	});
});
