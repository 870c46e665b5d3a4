/** Findings and trials in the forms that other programs read: SARIF 2.1.0 (OASIS) and JUnit XML. */
import junit from 'junit-report-builder';
import type { Log, Result, ReportingDescriptor } from 'sarif';
import { FINDINGS, type Finding, type Schema } from '../core';

/** What the parts of a rule set are called in SARIF, where nothing of its own kinds fits. */
const KIND: Record<Finding['part']['kind'], string> = {
	rule: 'object',
	definition: 'function',
	table: 'array',
	type: 'type',
	trial: 'object'
};

/**
 * Findings as SARIF. A finding that somebody accepted is a result that is suppressed, with the reason; what could
 * not be analysed are notifications of the run, never results.
 * @param file the rule set's, as it was given
 * @param names of rules, by id
 */
export function sarifOf(
	file: string,
	{
		findings,
		open,
		schema,
		names
	}: {
		findings: readonly Finding[];
		open: readonly { message: string }[];
		schema: Schema;
		names: ReadonlyMap<string, string>;
	}
): Log {
	const uri = encodeURI(file);
	const kinds = [...new Set(findings.map((f) => f.is))];
	const rules = kinds.map((is): ReportingDescriptor => ({
		id: is,
		shortDescription: { text: `It proves that ${FINDINGS[is].proves}.` },
		help: { text: `What helps: ${FINDINGS[is].helps}.` },
		defaultConfiguration: { level: FINDINGS[is].gravity === 'blocking' ? 'error' : 'warning' }
	}));
	const results = findings.map((f): Result => {
		const field = schema.field(f.type, f.field)?.label;
		const type = schema.types.get(f.type)?.type.label;
		const name = names.get(f.rule) ?? f.part.id;
		const shown = f.witness ? ` Shown by ${JSON.stringify(f.witness)}.` : '';
		const proof = f.certificate ? ` Proof: ${f.certificate}.` : '';
		return {
			ruleId: f.is,
			ruleIndex: kinds.indexOf(f.is),
			level: f.severity === 'blocking' ? 'error' : 'warning',
			message: { text: `${f.message}${shown}${proof}` },
			locations: [
				{
					physicalLocation: { artifactLocation: { uri } },
					logicalLocations: [
						{
							name,
							fullyQualifiedName: [type, field, name].filter(Boolean).join(' / '),
							kind: KIND[f.part.kind]
						}
					]
				}
			],
			partialFingerprints: { finding: f.id },
			...(f.accepted?.stands
				? { suppressions: [{ kind: 'external' as const, justification: f.accepted.reason }] }
				: {})
		};
	});
	return {
		$schema:
			'https://docs.oasis-open.org/sarif/sarif/v2.1.0/errata01/os/schemas/sarif-schema-2.1.0.json',
		version: '2.1.0',
		runs: [
			{
				tool: { driver: { name: 'Rigid Rule', rules } },
				artifacts: [{ location: { uri } }],
				results,
				invocations: [
					{
						executionSuccessful: true,
						toolExecutionNotifications: open.map((o) => ({
							level: 'note' as const,
							message: { text: `Not analysed: ${o.message}` }
						}))
					}
				],
				columnKind: 'utf16CodeUnits'
			}
		]
	};
}

/** How one trial came out. */
export interface TrialOutcome {
	trial: string;
	group?: string;
	held: boolean;
	fault?: string;
	lines?: { change?: number; row?: number; expected: string; got: string; because: string[] }[];
}

/** Trials as JUnit XML: a suite a group; a trial that cannot be run is an error, one that does not hold a failure. */
export function junitOf(file: string, outcomes: readonly TrialOutcome[]): string {
	const builder = junit.newBuilder();
	const groups = new Map<string, TrialOutcome[]>();
	for (const o of outcomes) {
		const name = o.group ?? '';
		groups.set(name, [...(groups.get(name) ?? []), o]);
	}
	for (const [group, of] of groups) {
		const suite = builder.testSuite().name(xml(group || file));
		for (const o of of) {
			const one = suite.testCase().className(xml(file)).name(xml(o.trial));
			if (o.fault) one.error(xml(o.fault));
			else if (!o.held)
				one.failure(
					xml(
						(o.lines ?? [])
							.map((l) => {
								const at = [
									l.change === undefined ? '' : `change ${l.change}`,
									l.row === undefined ? '' : `row ${l.row}`
								].filter(Boolean);
								const where = at.length ? `${at.join(', ')}: ` : '';
								return `${where}expected ${l.expected}; got ${l.got}. ${l.because.join('; ')}`;
							})
							.join('\n')
					)
				);
		}
	}
	return builder.build();
}

/** A text without the signs that XML 1.0 cannot hold, however they are written (chapter 2.2 of the recommendation). */
const xml = (text: string): string =>
	text.replace(
		/[\u0000-\u0008\u000b\u000c\u000e-\u001f\ufffe\uffff]|[\ud800-\udbff](?![\udc00-\udfff])|(?<![\ud800-\udbff])[\udc00-\udfff]/g,
		'\ufffd'
	);
