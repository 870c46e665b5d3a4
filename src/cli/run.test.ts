import { readFileSync } from 'node:fs';
import { Ajv2020 } from 'ajv/dist/2020';
import { describe, expect, it } from 'vitest';
import { demoModel } from '../../demo/model';
import { demoDraft, demoReleases } from '../../demo/rules';
import { demoTrials } from '../../demo/trials';
import type { Log } from 'sarif';
import { validateXML } from 'xmllint-wasm';
import { Schema, cellsOf, withoutRows, type Expectation, type Finding } from '../core';
import { BadInput, checkTrial } from '../door';
import { junitOf, sarifOf } from './reports';
import { runCli } from './run';

const release = (set: typeof demoDraft) =>
	JSON.stringify({ format: 'rigid-rule/release', version: 1, ...set, model: demoModel });
const files: Record<string, string> = {
	'rules.json': release(demoReleases[2].set),
	'draft.json': release(demoDraft),
	'trials.json': JSON.stringify(demoTrials),
	'context.json': '{"a": 0.1, "b c": [1, 2, {"d": 3}], "t": "x"}',
	'change.json':
		'{"type": "customer", "was": null, "sent": {"headcount": "51", "size_class": "micro"}, "entryPoint": "import"}',
	'late.json':
		'{"type": "deal", "was": {"stage": "survey"}, "sent": {"close_date": "2026-11-01"}, "at": "2026-11-23T09:00:00Z"}',
	'bad.json': '{'
};
/** As the application exports it: with its trials, and the rows of living tables as they stood. */
const bundle = (set: typeof demoDraft, more: object = {}) =>
	JSON.stringify({
		format: 'rigid-rule/bundle',
		version: 1,
		name: 'Release 3',
		of: 'Quillmere Glasshouses',
		made: '2026-11-24T09:00:00.000Z',
		...set,
		model: demoModel,
		trials: demoTrials,
		records: [
			{
				type: 'engineer',
				id: '2',
				title: 'An engineer',
				key: { field: 'name', value: 'An engineer' }
			}
		],
		...more
	});
files['bundle.json'] = bundle(demoReleases[2].set);
files['later-bundle.json'] = bundle(demoDraft);
const run = (...args: string[]) =>
	runCli(args, (p) => {
		if (!(p in files)) throw new Error('no such file');
		return files[p];
	});
const parsed = (...args: string[]) => {
	const { text, code } = run(...args);
	return { code, json: JSON.parse(text) };
};

describe('the command line', () => {
	it('evaluates a formula with a context', () => {
		expect(parsed('eval', 'a + 0.2', 'context.json').json).toBe(0.3);
		expect(parsed('eval', 'b c[3].d * 2', 'context.json').json).toBe(6);
		expect(parsed('eval', '1 / 3').json).toBe('0.3333333333333333333333333333333333');
		expect(parsed('eval', '{x: [1, date("2026-11-23")]}').json).toEqual({ x: [1, '2026-11-23'] });
		expect(run('eval', 'a +', 'context.json')).toMatchObject({
			code: 2,
			text: expect.stringContaining('At character')
		});
		expect(run('eval', 'sqr(4)').text).toContain('sqrt()');
	});

	it('settles a change and, if asked, explains it', () => {
		const { code, json } = parsed('settle', 'rules.json', 'change.json', '--explain');
		expect(code).toBe(0);
		expect(json.values.size_class).toBe('medium');
		expect(json.setAside).toMatchObject([{ field: 'size_class', sent: 'micro', stands: 'medium' }]);
		expect(
			json.explanation.find((e: { rule: string }) => e.rule === 'Size class follows headcount')
		).toMatchObject({ outcome: 'wrote', because: 'Headcount 51 is in [50..250), the third band' });
		expect(parsed('settle', 'rules.json', 'late.json')).toMatchObject({
			code: 1,
			json: { messages: [{ field: 'close_date', blocking: true }] }
		});
	});

	it('prints findings and runs trials, and says so by its exit code', () => {
		expect(parsed('check', 'draft.json').code).toBe(1);
		expect(parsed('try', 'rules.json', 'trials.json')).toMatchObject({
			code: 0,
			json: { held: demoTrials.length }
		});
		expect(parsed('try', 'draft.json', 'trials.json')).toMatchObject({
			code: 1,
			json: {
				failing: [
					{
						trial: 'Headcount 50',
						lines: [{ expected: 'Size class is Medium', got: 'Size class is Small' }]
					},
					{}
				]
			}
		});
	});

	it('tells what trials try and how strong they are, and holds them to a least share', () => {
		const covered = parsed('cover', 'rules.json', 'trials.json');
		expect(covered.code).toBe(0);
		expect(covered.json.tried).toBeGreaterThan(100);
		expect(covered.json.of).toBeGreaterThan(covered.json.tried);
		expect(covered.json.rules[0].untried).toBeInstanceOf(Array);
		expect(parsed('cover', 'rules.json', 'trials.json', '--least=90').code).toBe(1);
		expect(parsed('cover', 'rules.json', 'trials.json', '--least=10').code).toBe(0);
		const strong = parsed('strength', 'rules.json', 'trials.json', '--least=99');
		expect(strong.code).toBe(1);
		const [first] = strong.json.rules.filter((r: { missed: unknown[] }) => r.missed.length);
		expect(first.missed[0]).toMatchObject({ mistake: expect.stringMatching(/\S/) });
		expect(run('cover', 'rules.json', 'trials.json', '--least=much')).toMatchObject({
			code: 2,
			text: expect.stringContaining('0 to 100')
		});
	});

	it('gives findings as SARIF 2.1.0: accepted ones suppressed, what was not analysed as notes of the run', () => {
		const { code, json } = parsed('check', 'draft.json', '--sarif');
		expect(code).toBe(1);
		const log = json as Log;
		// required by the standard (OASIS SARIF 2.1.0, chapters 3.13, 3.14, 3.18, 3.27), from memory
		expect(log.version).toBe('2.1.0');
		const [run] = log.runs;
		expect(run.tool.driver.name).toBe('Rigid Rule');
		const ids = run.tool.driver.rules!.map((r) => r.id);
		expect(new Set(ids).size).toBe(ids.length);
		const plain = parsed('check', 'draft.json').json as { findings: { id: string }[] };
		expect(run.results!.map((r) => r.partialFingerprints!.finding)).toEqual(
			plain.findings.map((f) => f.id)
		);
		for (const r of run.results!) {
			expect(ids[r.ruleIndex!]).toBe(r.ruleId);
			expect(r.message.text).toMatch(/\.$/);
			expect(r.locations![0].physicalLocation!.artifactLocation!.uri).toBe('draft.json');
		}
		const gap = run.results!.find((r) => r.ruleId === 'gap between bands')!;
		expect(gap).toMatchObject({
			level: 'error',
			locations: [
				{
					logicalLocations: [
						{
							fullyQualifiedName: 'Customer / Service visits a year / Service visits by glass area'
						}
					]
				}
			]
		});
		const notes = run.invocations![0].toolExecutionNotifications!;
		expect(notes.every((n) => n.message.text!.startsWith('Not analysed: '))).toBe(true);
		expect(notes.length).toBeGreaterThan(0);
		expect(run.results!.every((r) => r.suppressions === undefined)).toBe(true);
		const [{ id }] = plain.findings;
		const accepted = sarifOf('x y.json', {
			findings: [
				{ ...(plain.findings[0] as Finding), accepted: { stands: true, reason: 'Known.' } as never }
			],
			open: [],
			schema: new Schema(demoModel),
			names: new Map()
		});
		expect(accepted.runs[0].results![0]).toMatchObject({
			partialFingerprints: { finding: id },
			suppressions: [{ kind: 'external', justification: 'Known.' }],
			locations: [{ physicalLocation: { artifactLocation: { uri: 'x%20y.json' } } }]
		});
	});

	it('gives trials as JUnit XML that any text survives in', async () => {
		const { text, code } = run('try', 'draft.json', 'trials.json', '--junit');
		expect(code).toBe(1);
		expect(run('try', 'rules.json', 'trials.json', '--junit').code).toBe(0);
		expect(text.match(/<testcase /g)).toHaveLength(demoTrials.length);
		expect(text.match(/<failure /g)).toHaveLength(2);
		expect(text).toContain('expected Size class is Medium; got Size class is Small');
		const odd = junitOf('a&b.json', [
			{ trial: '<x> "\u0000\ud800" & \u{1f33b}', group: ']]>', held: false, fault: '<b>&\u0007' },
			{ trial: 'y', held: false, lines: [{ row: 2, expected: '<a>', got: '"', because: [] }] }
		]);
		for (const xml of [text, odd]) {
			const { valid, errors } = await validateXML({
				xml: [{ fileName: 'x', contents: xml }]
			} as never);
			expect(errors, String(valid)).toEqual([]);
		}
		expect(odd).toContain('\u{1f33b}');
		expect(odd).toContain('row 2: expected');
		expect(odd.match(/<error /g)).toHaveLength(1);
	});

	it('compares two rule sets in terms of rules, and by trials', () => {
		const { code, json } = parsed('compare', 'rules.json', 'draft.json', 'trials.json');
		expect(code).toBe(0);
		expect(json.differences.map((d: { what: string; id: string }) => `${d.what} ${d.id}`)).toEqual(
			expect.arrayContaining(['changed size_class', 'new visits'])
		);
		const limits = json.differences.find((d: { id: string }) => d.id === 'size_class').differences;
		expect(JSON.stringify(limits)).toMatch(/50.*60/);
		expect(json.trials).toHaveLength(2);
		expect(json.trials[0]).toEqual({
			trial: 'Headcount 50',
			before: expect.stringContaining('Medium'),
			after: expect.stringContaining('Small')
		});
		expect(parsed('compare', 'rules.json', 'rules.json').json).toEqual({ differences: [] });
		expect(run('compare', 'rules.json')).toMatchObject({
			code: 2,
			text: expect.stringContaining('a second file with rules')
		});
		expect(run('check', 'rules.json', '--yaml').text).toContain('--sarif');
	});

	it('takes the rows of living tables from files beside the rules', () => {
		const set = demoReleases[2].set;
		const table = set.tables!.find((t) => t.living)!;
		files['bare.json'] = release({ ...set, tables: set.tables!.map(withoutRows) });
		const rows = table.rows.map((r, i) => ({ id: `r${i}`, cells: cellsOf(table, r) }));
		const file = { format: 'rigid-rule/rows', version: 1, table: table.id, rows };
		files['rows.json'] = JSON.stringify(file);
		files['other.json'] = JSON.stringify({ ...file, table: 'country_desk' });
		files['odd.json'] = JSON.stringify({ ...file, rows: [{ id: 'r0', cells: { a: {} } }] });
		const failing = (...more: string[]) => parsed('try', 'bare.json', 'trials.json', ...more).json;
		expect(failing('--rows=rows.json')).toEqual(parsed('try', 'rules.json', 'trials.json').json);
		expect(JSON.stringify(failing())).toContain('A postal code leads to its district');
		for (const [name, says] of [
			['other.json', 'bare.json has no living table “country_desk”'],
			['odd.json', 'rows[0] must have an id'],
			['rules.json', 'format must be "rigid-rule/rows"'],
			['none.json', 'cannot be read']
		])
			expect(run('check', 'bare.json', `--rows=${name}`)).toMatchObject({
				code: 2,
				text: expect.stringContaining(says) as unknown
			});
	});

	it('reads a bundle as it reads a release and its trials', () => {
		for (const verb of ['try', 'cover'])
			expect(run(verb, 'bundle.json')).toEqual(run(verb, 'rules.json', 'trials.json'));
		expect(run('check', 'bundle.json')).toEqual(run('check', 'rules.json'));
		expect(run('settle', 'bundle.json', 'change.json')).toEqual(
			run('settle', 'rules.json', 'change.json')
		);
		// trials beside it are those that are run
		files['one.json'] = JSON.stringify(demoTrials.slice(0, 1));
		expect(parsed('try', 'bundle.json', 'one.json').json.of).toBe(1);
		expect(run('compare', 'bundle.json', 'later-bundle.json')).toEqual(
			run('compare', 'rules.json', 'draft.json', 'trials.json')
		);
		const junit = run('try', 'later-bundle.json', '--junit');
		expect(junit.code).toBe(1);
		expect(junit.text).toContain('classname="later-bundle.json"');
		expect(run('try', 'rules.json')).toMatchObject({
			code: 2,
			text: expect.stringContaining('a file with trials, or a bundle') as unknown
		});
	});

	it('takes rows from a file in the place of those that a bundle has', () => {
		const set = demoReleases[2].set;
		const table = set.tables!.find((t) => t.living)!;
		files['no-rows.json'] = JSON.stringify({
			format: 'rigid-rule/rows',
			version: 1,
			table: table.id,
			rows: []
		});
		expect(run('try', 'bundle.json', '--rows=no-rows.json').text).toContain(
			'A postal code leads to its district'
		);
	});

	it.each([
		['of a later version', { version: 7 }, 'version: This bundle has format 7'],
		['without a name', { name: undefined }, 'name'],
		['whose trial is null', { trials: [null] }, 'trials[0]'],
		['of trials with one identity', { trials: [demoTrials[0], demoTrials[0]] }, 'trials: two have'],
		['whose records are a text', { records: 'all' }, 'records must be a list'],
		['whose record has no number', { records: [{ type: 'engineer', title: '' }] }, 'records[0]'],
		['of too many records', { records: Array(20_001).fill(null) }, '20000 at most'],
		[
			'with rules of one identity',
			{ rules: [demoDraft.rules[0], demoDraft.rules[0]] },
			'rules: two'
		],
		['without a model', { model: undefined }, 'model']
	])('a bundle %s is named with the place', (_, more, says) => {
		files['odd-bundle.json'] = bundle(demoDraft, more);
		expect(run('check', 'odd-bundle.json')).toMatchObject({
			code: 2,
			text: expect.stringContaining(says) as unknown
		});
	});

	it('names what is wrong with its input', () => {
		for (const [args, says] of [
			[['settle', 'rules.json', 'none.json'], 'cannot be read'],
			[['settle', 'bad.json', 'change.json'], 'no JSON'],
			[['settle', 'context.json', 'change.json'], 'context.json: format must be'],
			[['settle', 'rules.json'], 'Give a file with the change'],
			[['settle', 'rules.json', 'context.json'], 'context.json: '],
			[['--verbose', 'check', 'rules.json'], '--explain']
		] as const)
			expect(run(...args)).toMatchObject({ code: 2, text: expect.stringContaining(says) });
		expect(run()).toMatchObject({ code: 0, text: expect.stringContaining('eval FORMULA') });
	});
});

describe('the published schemas', () => {
	const schema = (name: string) =>
		JSON.parse(readFileSync(new URL(`../../docs/schema/${name}.json`, import.meta.url), 'utf8'));
	const ajv = new Ajv2020({ strict: false, validateFormats: false });
	ajv.addSchema(schema('release'));

	it('fit what the application exports and takes, and refuse what it would', () => {
		const valid = ajv.getSchema('release.json')!;
		for (const file of ['rules.json', 'draft.json'])
			expect(valid(JSON.parse(files[file])), JSON.stringify(valid.errors)).toBe(true);
		const broken = JSON.parse(files['rules.json']);
		broken.rules[0].body.kind = 'magic';
		expect(valid(broken)).toBe(false);
		const change = ajv.compile(schema('change'));
		expect(change(JSON.parse(files['change.json'])), JSON.stringify(change.errors)).toBe(true);
		expect(change({ sent: {} })).toBe(false);
		const trials = ajv.compile(schema('trials'));
		const bundled = ajv.compile(schema('bundle'));
		for (const file of ['bundle.json', 'later-bundle.json']) {
			const doc = JSON.parse(files[file]);
			expect(bundled(doc), JSON.stringify(bundled.errors)).toBe(true);
			expect(bundled({ ...doc, trials: [{ magic: 1 }] })).toBe(false);
			expect(bundled({ ...doc, records: [{ id: 7 }] })).toBe(false);
		}
		expect(trials(demoTrials), JSON.stringify(trials.errors)).toBe(true);
		// each kind of expectation, as the door takes it
		const expects: Expectation[] = [
			{ field: 'size_class', value: null, not: true, at: { type: 'customer', id: '7' } },
			{ field: 'size_class', stays: true },
			{ rule: 'size_class', writes: false },
			{ refused: true, field: 'size_class', text: 'no' },
			{ field: 'size_class', advised: false },
			{ field: 'size_class', state: 'hidden', is: true },
			{ field: 'size_class', option: 'small', offered: true },
			{ messages: 2, to: 'ann@fen.example', subject: 'Season' }
		];
		const [first] = demoTrials;
		const { sent, entryPoint, at } = first;
		const then = [{ sent, entryPoint, at, expect: expects }];
		const whole = { ...first, group: 'g', then, rows: [{ sent, expect: expects }] };
		expect(trials([whole]), JSON.stringify(trials.errors)).toBe(true);
		expect(checkTrial(structuredClone(whole))).toEqual(whole);
		for (const x of expects) {
			const odd = { ...first, expect: [{ ...x, magic: 1 }] };
			expect(trials([odd])).toBe(false);
			expect(() => checkTrial(odd)).toThrow(BadInput);
		}
		expect(() => checkTrial({ ...first, expect: [{ field: 'size_class' }] })).toThrow('must name');
		expect(() => checkTrial({ ...first, rows: [{ sent: 1, expect: [] }] })).toThrow('rows[0].sent');
	});

	it('refuses documents that are no rules, and names the place', () => {
		const set = demoReleases[2].set;
		const broken = (change: (r: (typeof set.rules)[number]) => unknown) => {
			files['broken.json'] = release({ ...set, rules: [change(set.rules[0])] as typeof set.rules });
			return run('check', 'broken.json');
		};
		for (const [change, place] of [
			[() => null, 'broken.json'],
			[(r: object) => ({ ...r, body: { kind: 'spell' } }), 'kind'],
			[
				(r: object) => ({ ...r, body: { kind: 'formula', formulas: [{ expr: { k: 'no' } }] } }),
				'formulas[0]'
			],
			[(r: object) => ({ ...r, outputs: 7 }), 'outputs']
		] as const) {
			const { code, text } = broken(change);
			expect(code).toBe(2);
			expect(text).toContain(place);
		}
	});
});
