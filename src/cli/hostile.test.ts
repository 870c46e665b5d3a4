/** Files from anywhere: what the command line says of each, in bounded time, by name and place. */
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { demoModel } from '../../demo/model';
import { demoReleases } from '../../demo/rules';
import { demoTrials } from '../../demo/trials';
import { spoilt, steps } from '../../tests/spoilt';
import { runCli } from './run';

// a small release with a rule of every kind that the demo has, so that a run stays short
const kinds = new Map(demoReleases[2].set.rules.map((r) => [r.body.kind, r]));
const release = {
	format: 'rigid-rule/release',
	version: 1,
	...demoReleases[2].set,
	rules: [...kinds.values()],
	model: demoModel
};
const change = { type: 'customer', was: null, sent: { headcount: '51' }, entryPoint: 'import' };
const trials = demoTrials.slice(0, 3);

const run = (args: string[], files: Record<string, unknown>) =>
	runCli(args, (p) => {
		const f = files[p];
		return typeof f === 'string' ? f : JSON.stringify(f);
	});

const numRuns = Number(process.env.RIGID_RUNS ?? 120);

describe('files from anywhere', () => {
	it('spoilt releases, changes and trials are answered; what is wrong is told with the name of the file', () => {
		fc.assert(
			fc.property(
				fc.constantFrom('rules.json', 'change.json', 'trials.json'),
				fc.array(steps, { minLength: 1, maxLength: 2 }),
				(which, how) => {
					const files: Record<string, unknown> = {
						'rules.json': release,
						'change.json': change,
						'trials.json': trials
					};
					files[which] = how.reduce<unknown>((d, s) => spoilt(d, s), files[which]);
					const verbs =
						which === 'change.json'
							? [['settle', 'rules.json', 'change.json', '--explain']]
							: which === 'trials.json'
								? [['try', 'rules.json', 'trials.json']]
								: [
										['settle', 'rules.json', 'change.json', '--explain'],
										['try', 'rules.json', 'trials.json']
									];
					for (const args of verbs) {
						const { text, code } = run(args, files);
						expect(text.length).toBeGreaterThan(0);
						if (code === 2) expect(text).toContain(which);
						else JSON.parse(text);
					}
				}
			),
			{ numRuns }
		);
	});

	it.each([
		['empty', '', 'no JSON'],
		['cut off', JSON.stringify(release).slice(0, 5000), 'no JSON'],
		['nested a thousand deep', '['.repeat(1000) + ']'.repeat(1000), 'nested'],
		['null', 'null', 'format must be'],
		['a list', '[]', 'format must be'],
		['of a later version', { ...release, version: 99 }, 'later version'],
		['of no version', { ...release, version: undefined }, 'version'],
		['without a model', { ...release, model: undefined }, 'model'],
		[
			'with a model of nulls',
			{ ...release, model: { types: [null], lists: [], zone: 'UTC' } },
			'model: types[0]'
		],
		['with a zone that is none', { ...release, model: { ...demoModel, zone: 'Nowhere' } }, 'zone'],
		[
			'with a choice of no list',
			{ ...release, model: { ...demoModel, lists: [] } },
			'there is no list'
		],
		[
			'with a link to nothing',
			{ ...release, model: { ...demoModel, types: demoModel.types.slice(0, 1) } },
			'there is no record type'
		],
		[
			'with a key __proto__',
			JSON.stringify(release).replace('"order":{', '"order":{"__proto__":[],'),
			'__proto__'
		],
		['whose rules are a text', { ...release, rules: 'all' }, 'rules must be a list'],
		['whose order is a list', { ...release, order: [] }, 'order must be'],
		['whose rule is null', { ...release, rules: [null] }, 'rules[0]'],
		[
			'whose table has no rows',
			{ ...release, tables: [{ ...release.tables![0], rows: 7 }] },
			'tables[0]'
		]
	])('a release that is %s', (_, doc, says) => {
		const { text, code } = run(['check', 'rules.json'], { 'rules.json': doc });
		expect(code).toBe(2);
		expect(text).toMatch(/^rules\.json/);
		expect(text).toContain(says);
	});

	it.each([
		['null', null, 'change.json'],
		['a list', [], 'change.json'],
		['of an unknown type', { ...change, type: 'toString' }, 'no record type'],
		['with a number for a text', { ...change, sent: { headcount: 51 } }, 'sent.headcount'],
		['with an unknown field', { ...change, sent: { constructor: 'x' } }, 'constructor'],
		['with a list for what was', { ...change, was: [] }, 'was must be'],
		['at no moment', { ...change, at: 'soon' }, 'at:'],
		['at the end of all time', { ...change, at: '+275760-09-13T00:00:00Z' }, 'at:'],
		[
			'beside a record of an unknown type',
			{ ...change, near: [{ type: 'x', id: '1', values: {} }] },
			'near[0].type'
		],
		['kept by numbers', { ...change, keep: [1] }, 'keep'],
		['by an unknown road', { ...change, entryPoint: 'fax' }, 'entryPoint'],
		['with a word too many', { ...change, extra: 1 }, 'extra']
	])('a change that is %s', (_, doc, says) => {
		const { text, code } = run(['settle', 'rules.json', 'change.json'], {
			'rules.json': release,
			'change.json': doc
		});
		expect(code).toBe(2);
		expect(text).toMatch(/^change\.json/);
		expect(text).toContain(says);
	});

	it('that cannot be read at all are named', () => {
		const gone = runCli(['check', 'gone.json'], () => {
			throw new Error('ENOENT');
		});
		expect(gone).toEqual({ text: 'The file gone.json cannot be read.', code: 2 });
	});
});
