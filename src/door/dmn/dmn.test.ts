/** DMN files: valid by the schema of the standard, read back equal, foreign ones taken in, hostile ones refused. */
import fs from 'node:fs';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { validateXML } from 'xmllint-wasm';
import { demoModel } from '../../../demo/model';
import { demoDraft, demoReleases } from '../../../demo/rules';
import { Schema, canonicalJson, compilePlan, type RuleSet } from '../../core';
import { BadInput } from '../index';
import { DMN_VERSIONS, fromDmn, toDmn } from '.';
import { VERSIONS } from './namespaces';

const { set } = demoReleases[2];
const schema = new Schema(demoModel).with(set);
const write = (s: RuleSet, version: (typeof DMN_VERSIONS)[number] = '1.3') =>
	toDmn(s, schema, { name: 'Quillmere', version });

/** The schemas of DMN 1.3 (OMG formal/21-02-01), as dmn-moddle ships them. */
const xsd = (name: string) => ({
	fileName: name,
	contents: fs.readFileSync(`node_modules/dmn-moddle/resources/dmn/xsd/${name}`, 'utf8')
});
async function valid(xml: string) {
	const { valid, errors } = await validateXML({
		xml: [{ fileName: 'rules.dmn', contents: xml }],
		schema: [xsd('DMN13.xsd')],
		preload: ['DMNDI13.xsd', 'DC.xsd', 'DI.xsd'].map(xsd)
	});
	return valid ? [] : errors.map((e) => e.message);
}

describe('a DMN file of the demo', () => {
	it('is valid by the schema of the standard', async () => {
		const { xml, holds } = await write(set);
		expect(holds).toBeGreaterThan(15);
		expect(await valid(xml)).toEqual([]);
		// the schema does look: a table without its logic in place is refused
		expect(await valid(xml.replaceAll('dmn:decisionTable', 'dmn:decisionTabel'))).not.toEqual([]);
	}, 60_000);

	it('is read back equal, in each version', async () => {
		for (const version of DMN_VERSIONS) {
			const { xml, lost } = await write(set, version);
			expect(xml).toContain(VERSIONS[version].model);
			const back = await fromDmn(xml, schema, 'customer');
			expect(back.told).toEqual([]);
			const absent = new Set(lost.filter((l) => l.whole).map((l) => l.name));
			const kept = set.rules.filter((r) => !absent.has(r.name));
			expect(back.rules.map(canonicalJson)).toEqual(kept.map(canonicalJson));
			expect(back.definitions.map(canonicalJson)).toEqual(set.definitions!.map(canonicalJson));
		}
	});

	it('lists what other programs do not find in it', async () => {
		const { lost } = await write(set);
		const of = (name: string) => lost.find((l) => l.name === name);
		expect(of('Season notice to the contacts')).toMatchObject({ whole: true });
		expect(of('Size class follows headcount')).toMatchObject({
			whole: false,
			what: ['that Size class always equals it'.replace(' it', '')]
		});
		expect(of('Three phases for a heat pump')!.what).toContain('its condition');
	});

	it('says bands, options and cases as tables', async () => {
		const { xml } = await write(set);
		expect(xml).toMatch(/<dmn:text>\[10\.\.50\)<\/dmn:text>[\s\S]*?<dmn:text>"Small"<\/dmn:text>/);
		expect(xml).toMatch(/<dmn:decisionTable id="table_survey_fee" hitPolicy="FIRST">/);
		expect(xml).toMatch(/name="Rate per m²"[\s\S]*?<dmn:formalParameter[^>]*name="fit"/);
	});
});

describe('a file that came back changed', () => {
	it('counts as it is now, with the rest as it was', async () => {
		const { xml } = await write(set);
		const edited = xml
			.replace('<dmn:text>[10..50)</dmn:text>', '<dmn:text>[10..60)</dmn:text>')
			.replace('<dmn:text>[50..250)</dmn:text>', '<dmn:text>[60..250)</dmn:text>');
		const { rules, told } = await fromDmn(edited, schema, 'customer');
		const rule = rules.find((r) => r.id === 'size_class')!;
		expect(rule.body.kind).toBe('table');
		expect(rule.outputs[0]).toMatchObject({ field: 'size_class', hold: 'locked' });
		expect(told).toEqual([
			{
				place: 'Size class follows headcount',
				message: 'It was edited elsewhere: its table counts, the rest is as it was here.'
			}
		]);
		const other = { ...set, rules: set.rules.map((r) => (r.id === rule.id ? rule : r)) };
		expect(compilePlan(schema, other).problems).toEqual([]);
	});

	it('says where its own addition cannot be read', async () => {
		const { xml } = await write({ ...set, rules: set.rules.slice(0, 1) });
		const broken = xml.replace(/(<rigid:rule[^>]*>)[\s\S]*?(<\/rigid:rule>)/, '$1{"id":7}$2');
		const { rules, told } = await fromDmn(broken, schema, 'customer');
		expect(told[0].message).toMatch(/^What this program added to it cannot be read/);
		expect(rules[0].outputs[0].field).toBe('size_class');
	});
});

const foreign = (logic: string, more = '') =>
	`<?xml version="1.0"?><definitions xmlns="${VERSIONS['1.5'].model}" id="d" name="n" namespace="x">
	<inputData id="i" name="Headcount"/><decision id="size" name="Size">${more}${logic}</decision></definitions>`;
const tableOf = (rows: string, hit = 'UNIQUE') =>
	`<decisionTable hitPolicy="${hit}"><input id="a"><inputExpression typeRef="number"><text>Headcount</text></inputExpression></input>
	<output id="b" name="Size class"/>${rows}</decisionTable>`;
const row = (when: string, then: string) =>
	`<rule id="r${when.length}${then.length}"><inputEntry><text>${when}</text></inputEntry><outputEntry><text>${then}</text></outputEntry></rule>`;

describe('a file of another program', () => {
	it('becomes a rule at the field that its output is named after', async () => {
		const { rules, told } = await fromDmn(
			foreign(tableOf(row('&lt; 10', '"Micro"') + row('&gt;= 10', '"Large"'))),
			schema,
			'customer'
		);
		expect(told).toEqual([]);
		expect(rules).toHaveLength(1);
		expect(rules[0]).toMatchObject({ type: 'customer', outputs: [{ field: 'size_class' }] });
		expect(compilePlan(schema, { ...set, rules }).problems).toEqual([]);
	});

	it('says what does not fit, and where', async () => {
		const bad = await fromDmn(
			foreign(tableOf(row('&lt; ten', '"Micro"') + row('&gt;= 10', '"Huge"'))),
			schema,
			'customer'
		);
		expect(bad.told.map((t) => t.place)).toEqual(['Size, row 1, test 1', 'Size, row 2, result 1']);
		expect(bad.rules[0].body).toMatchObject({ rows: [{ when: [{ text: '< ten' }] }, {}] });
		const nowhere = await fromDmn(
			foreign(tableOf(row('-', '1')).replace('Size class', 'Shoe size')),
			schema,
			'customer'
		);
		expect(nowhere.told[0].message).toMatch(/Customer has no field called “Shoe size”/);
		const policy = await fromDmn(foreign(tableOf(row('-', '1'), 'RANDOM')), schema, 'customer');
		expect(policy.told[0].message).toMatch(/hit policy is “RANDOM”; known are UNIQUE/);
		const logic = await fromDmn(foreign('<invocation/>'), schema, 'customer');
		expect(logic.told[0].message).toMatch(/Its logic is a Invocation/);
		const short = await fromDmn(
			foreign(tableOf('<rule id="x"><inputEntry><text>1</text></inputEntry></rule>')),
			schema,
			'customer'
		);
		expect(short.told[0].message).toMatch(/Row 1 has 1 tests and 0 results/);
	});

	it('takes the first of two elements with one id', async () => {
		const one = foreign(tableOf(row('-', '"Micro"')));
		const twice = one.replace(
			'</definitions>',
			`<decision id="size" name="Again">${tableOf('')}</decision></definitions>`
		);
		const { rules, told } = await fromDmn(twice, schema, 'customer');
		expect(rules).toHaveLength(1);
		expect(told[0]).toMatchObject({ place: 'the file' });
		expect(told[0].message).toMatch(/duplicate ID <size>/);
	});
});

describe('a hostile file', () => {
	it.each([
		['entities', '<!DOCTYPE x [<!ENTITY a "b">]><definitions/>', /document type or entities/],
		['a document type in small letters', '<!doctype x><definitions/>', /document type/],
		['another root', '<?xml version="1.0"?><html/>', /no DMN/],
		['no XML', 'hello', /no DMN/],
		['nothing', '', /no DMN/],
		['too deep', foreign('<decisionTable>'.repeat(20_000)), /deep in each other/],
		[
			'too long',
			`<definitions>${' '.repeat(4_000_001)}</definitions>`,
			/may have 4000000 characters/
		]
	])('with %s is refused in bounded time', async (_, xml, message) => {
		const before = performance.now();
		await expect(fromDmn(xml, schema, 'customer')).rejects.toThrow(message);
		await expect(fromDmn(xml, schema, 'customer')).rejects.toBeInstanceOf(BadInput);
		expect(performance.now() - before).toBeLessThan(10_000);
	});

	it('never throws anything but what it says', async () => {
		const { xml } = await write({ ...set, rules: set.rules.slice(0, 4) });
		await fc.assert(
			fc.asyncProperty(
				fc.nat(xml.length),
				fc.nat(60),
				fc.string({ maxLength: 12 }),
				async (at, cut, put) => {
					const broken = xml.slice(0, at) + put + xml.slice(at + cut);
					try {
						await fromDmn(broken, schema, 'customer');
					} catch (e) {
						expect(e).toBeInstanceOf(BadInput);
					}
				}
			),
			{ numRuns: 150 }
		);
	});

	it('has rules of a draft in it all the same', async () => {
		const { lost } = await toDmn(demoDraft, schema, { name: 'd', version: '1.5' });
		expect(lost.some((l) => l.name.includes('Service visits'))).toBe(false);
	});
});
