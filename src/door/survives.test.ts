/**
 * Whatever the door lets in, the rest survives: rules with anything changed in them, and every name
 * that an object has by itself in every place that takes a name. `RIGID_RUNS=n` runs more.
 */
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { demoModel } from '../../demo/model';
import { demoDraft } from '../../demo/rules';
import type { Rule, RuleSet } from '../core';
import {
	NOTHING_ELSE,
	Schema,
	analyse,
	changedRules,
	claimCounts,
	compilePlan,
	isIdentity,
	reason,
	settle,
	submissionOf
} from '../core';
import { zones } from '../runtime/zones';
import { demoTrials } from '../../demo/trials';
import { demoViews } from '../../demo/views';
import {
	BadInput,
	checkChange,
	checkDefinition,
	checkNeeds,
	checkNewPerson,
	checkOrder,
	checkPersonChange,
	checkPieces,
	checkRehearsal,
	checkRemark,
	checkRule,
	checkSought,
	checkSubmission,
	checkTable,
	checkTitles,
	checkKeptTrial,
	checkTrial,
	readJson
} from '.';
import { checkBulk } from './bulk';
import { checkLineStep } from './line';
import { checkIndexes, checkKeys, checkView } from './lists';
import { checkEditors, checkRows } from './living';
import { checkPilotStep } from './pilot';

const schema = new Schema(demoModel);
const KEPT = Object.getOwnPropertyNames(Object.prototype);
const runs = { numRuns: Number(process.env.RIGID_RUNS ?? 250), seed: 20261125 };

/** Everything a page or a road does with a rule set, short of showing it. */
function use(set: RuleSet) {
	const plan = compilePlan(schema, set);
	claimCounts(set);
	changedRules(demoDraft, set);
	analyse(plan, set, zones);
	for (const t of schema.model.types) {
		const sent = t.fields.flatMap((f): [string, string | boolean][] =>
			f.type === 'text' ? [[f.id, 'constructor']] : f.type === 'yesno' ? [[f.id, true]] : []
		);
		const record = submissionOf(plan.schema, { type: t.id, was: null, sent });
		const change = { records: [record], entryPoint: 'full' as const, instant: 0, person: null };
		const done = settle(plan, change, NOTHING_ELSE, { zones, explain: true, states: true });
		for (const r of done.records[0].reports) reason(plan, r);
		for (const v of done.records[0].values) expect(String(v)).not.toContain('[native code]');
	}
}

/** Every place in a document: the path to each value in it. */
function places(doc: unknown, path: string[] = []): string[][] {
	if (typeof doc !== 'object' || doc === null) return [path];
	return [path, ...Object.entries(doc).flatMap(([k, v]) => places(v, [...path, k]))];
}

function put(doc: unknown, [key, ...rest]: readonly string[], v: unknown): unknown {
	if (key === undefined) return v;
	const copy = (Array.isArray(doc) ? [...doc] : { ...(doc as object) }) as Record<string, unknown>;
	copy[key] = put(copy[key], rest, v);
	return copy;
}

const letIn = (check: () => unknown) => {
	try {
		check();
		return true;
	} catch (e) {
		if (e instanceof BadInput) return false;
		throw e;
	}
};

const TEXTS = [
	...KEPT,
	...[
		'',
		' ',
		'stage',
		'customer',
		'country',
		'-1',
		'1e400',
		'9'.repeat(40),
		'x'.repeat(60),
		'"',
		'{'
	],
	...demoDraft.rules.flatMap((r) => [
		r.id,
		r.type,
		r.kind,
		...r.outputs.flatMap((o) => [o.field, o.hold])
	])
];
const BODIES = demoDraft.rules.map((r) => r.body);
/** Another value of the same make, so that the door lets many of them in. */
function other(v: unknown, n: number): unknown {
	if (typeof v === 'string') return TEXTS[n % TEXTS.length];
	if (typeof v === 'boolean') return !v;
	if (Array.isArray(v)) return [[], v.slice(1), [...v, ...v], v.slice().reverse()][n % 4];
	if (v === null) return [[], [null], { text: 'constructor' }, { none: true }, ['stage']][n % 5];
	if (typeof v === 'object' && ('text' in v || 'expr' in v))
		return [null, { text: '' }, { text: TEXTS[n % TEXTS.length] }, { expr: { k: 'null' } }][n % 4];
	if (typeof v === 'object' && 'kind' in v && !('id' in v)) return BODIES[n % BODIES.length];
	return [{}, null, v][n % 3];
}

describe('what the door lets in', () => {
	it('never breaks what works on it, whatever is changed in a rule', () => {
		const changed = fc
			.tuple(
				fc.constantFrom(...demoDraft.rules),
				fc.array(fc.tuple(fc.nat(), fc.nat()), { minLength: 1, maxLength: 4 })
			)
			.map(([r, changes]) =>
				changes.reduce<unknown>((doc, [at, n]) => {
					const all = places(doc).filter((p) => !p.includes('expr') && !p.includes('tests'));
					const path = all[at % all.length];
					const had = path.reduce<unknown>((x, k) => (x as Record<string, unknown>)[k], doc);
					return put(doc, path, other(had, n));
				}, r)
			);
		let some = 0;
		fc.assert(
			fc.property(changed, (doc) => {
				if (!letIn(() => checkRule(doc))) return;
				some++;
				const rule = { ...(doc as Rule), id: 'tried' };
				use({
					rules: [rule],
					order: {},
					definitions: demoDraft.definitions,
					tables: demoDraft.tables
				});
			}),
			runs
		);
		expect(some).toBeGreaterThan(runs.numRuns / 20);
	}, 300_000);

	it.each(KEPT)('nothing may be called %s, and asked for by that name nothing is found', (name) => {
		expect(isIdentity(name)).toBe(false);
		for (const rule of demoDraft.rules) {
			expect(letIn(() => checkRule({ ...rule, id: name }))).toBe(false);
			const outputs = rule.outputs.map((o) => ({ ...o, id: name }));
			if (outputs.length) expect(letIn(() => checkRule({ ...rule, outputs }))).toBe(false);
			if (rule.body.kind === 'options') {
				const rows = JSON.parse(`{${JSON.stringify(name)}: ["a"]}`) as object;
				expect(letIn(() => checkRule({ ...rule, body: { ...rule.body, rows } }))).toBe(false);
			}
			// in every other place that holds a text it may stand, and does no harm
			for (const path of places(rule)) {
				if (path.at(-1) === 'k' || path.includes('expr')) continue;
				const doc = put(rule, path, name) as Rule;
				if (letIn(() => checkRule(doc))) compilePlan(schema, { ...demoDraft, rules: [doc] });
			}
		}
		const [d] = demoDraft.definitions!;
		const [t] = demoDraft.tables!;
		expect(letIn(() => checkDefinition({ ...d, id: name }))).toBe(false);
		expect(letIn(() => checkTable({ ...t, id: name }))).toBe(false);
	});

	it('no key of any JSON sets a prototype', async () => {
		for (const key of ['__proto__', '__pr\\u006fto__'])
			await expect(
				readJson(new Request('http://x/', { method: 'POST', body: `{"a": [{"${key}": 1}]}` }))
			).rejects.toThrow('__proto__');
	});
});

describe('documents and questions with anything in any place', () => {
	const ODD: unknown[] = [
		null,
		undefined,
		'',
		0,
		-1,
		1e308,
		true,
		[],
		[null],
		[[]],
		{},
		{ length: 3 },
		'constructor',
		{ a: { b: null } }
	];
	const trial = { ...demoTrials.find((t) => t.then?.length) };
	const rows = { ...demoTrials.find((t) => t.rows?.length) };
	const SOUND: [name: string, check: (v: unknown) => unknown, sound: unknown][] = [
		['trial', checkTrial, demoTrials[0]],
		['trial to be kept', checkKeptTrial, { trial: demoTrials[0], had: null }],
		['trial of several changes', checkTrial, { ...demoTrials[0], ...trial }],
		['trial of rows', checkTrial, { ...demoTrials[0], ...rows }],
		['submission', checkSubmission, { sent: [['headcount', '5']], version: 1, release: 3 }],
		['needs', checkNeeds, { needs: [{ type: 'customer', id: '1' }] }],
		[
			'rehearsal',
			checkRehearsal,
			{ before: 3, selection: { type: 'customer', condition: { text: 'true' } }, period: null }
		],
		['remark', checkRemark, { kind: 'rule', key: 'size_class', title: 'x', text: 'y' }],
		['titles', checkTitles, { wanted: [{ type: 'customer', id: '1' }] }],
		['order', checkOrder, { field: 'customer.size_class', claims: ['a'] }],
		[
			'pieces',
			checkPieces,
			[{ path: ['rules', 'size_class', 'why'], before: 'a', after: 'b', behind: null }]
		],
		['person', checkNewPerson, { name: 'X', email: 'x@q.example', role: 'reader', person: null }],
		['change of a person', checkPersonChange, { name: 'X', role: 'reader', retired: true }],
		['sought', checkSought, { sought: [{ type: 'engineer', field: 'name', value: 'Fair desk' }] }],
		[
			'change document',
			checkChange,
			{ type: 'customer', was: { country: 'nl' }, sent: { headcount: '5' }, person: '1', near: [] }
		],
		[
			'bulk change',
			checkBulk,
			{
				type: 'deal',
				which: { ids: ['1'] },
				does: { k: 'set', field: 'amount', value: '5' },
				spare: true,
				messages: false
			}
		],
		[
			'line',
			checkLineStep,
			{ step: 'leave', type: 'customer', field: 'size', is: 'open', ids: null, why: 'x' }
		],
		['indexes', checkIndexes, { indexes: [{ type: 'a', field: 'b', use: 'value' }], wanted: true }],
		['keys', checkKeys, { type: 'customer', by: 'No.', text: '1' }],
		['view', checkView, { ...demoViews[0], type: 'deal' }],
		[
			'rows',
			checkRows,
			{
				edits: [{ id: 'r_1', before: null, after: { country: 'x' } }],
				why: 'x',
				brings: false,
				look: null
			}
		],
		['editors', checkEditors, { add: ['1'], remove: ['2'] }],
		[
			'pilot',
			checkPilotStep,
			{
				step: 'start',
				release: 1,
				choice: { chosen: [], brought: { accounts: ['1'], roads: ['api'] } },
				why: 'x'
			}
		]
	];
	it.each(SOUND)('%s: refused with the place, or taken', (_, check, sound) => {
		expect(letIn(() => check(sound))).toBe(true);
		for (const path of places(JSON.parse(JSON.stringify(sound)))) {
			for (const odd of ODD) letIn(() => check(put(sound, path, odd)));
		}
	});

	it('what is missing is refused, but for what may be left out', () => {
		const isNumber = (k: string) => /^\d+$/.test(k);
		const left = SOUND.flatMap(([name, check, sound]) =>
			places(JSON.parse(JSON.stringify(sound)))
				.filter((path) => path.length && !isNumber(path.at(-1)!) && !path.includes('was'))
				.filter((path) =>
					// as it would come: a key that holds nothing is none in JSON
					letIn(() => check(JSON.parse(JSON.stringify(put(sound, path, undefined)))))
				)
				.map((path) => `${name}: ${path.map((k) => (isNumber(k) ? '*' : k)).join('.')}`)
		);
		expect([...new Set(left)].sort()).toEqual([
			'change document: near',
			'change document: person',
			'change document: sent.headcount',
			// only what is named changes
			'change of a person: name',
			'change of a person: retired',
			'change of a person: role',
			'person: person',
			// something new, something taken away, somewhere else
			'pieces: *.after',
			'pieces: *.before',
			'pieces: *.behind',
			'rehearsal: before',
			'rehearsal: period',
			'rehearsal: selection',
			// a blank cell, and a row that was not there
			'rows: edits.*.after.country',
			'rows: edits.*.before',
			'rows: look',
			'rows: why',
			'submission: release',
			'submission: version',
			'trial of rows: person',
			'trial of several changes: person',
			'trial to be kept: had',
			'trial to be kept: trial.person',
			'trial: person',
			// what a list does not ask for
			...[
				'changed',
				'columns',
				'find',
				'line',
				'made',
				'pending',
				'period',
				'pilot',
				'setBy',
				'sort',
				'untold',
				'where'
			].map((k) => `view: list.${k}`)
		]);
	});
});
