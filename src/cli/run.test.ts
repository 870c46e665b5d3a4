import { readFileSync } from 'node:fs';
import { Ajv2020 } from 'ajv/dist/2020';
import { describe, expect, it } from 'vitest';
import { demoModel } from '../../demo/model';
import { demoDraft, demoReleases } from '../../demo/rules';
import { demoTrials } from '../../demo/trials';
import type { Expectation } from '../core';
import { BadInput, checkTrial } from '../door';
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
