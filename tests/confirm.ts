/** Runs the record of a finding again, by the public way in, and says whether it shows what is told. */
import type { Finding, Outcome, Plan, SettledRecord, Trial } from '../src/core';
import {
	recordsLoader,
	same,
	settle,
	submissionOf,
	valuesFromJson,
	valuesToJson
} from '../src/core';
import { zones } from '../src/runtime/zones';

const DAY = 86_400_000;
const AT = Date.parse('2026-11-23T09:00:00Z');
const EMPTY: Outcome[] = ['no row', 'no result', 'blank', 'left', 'cleared'];

/** `shown`, or why not. Told apart by the message, so that it knows nothing of how the analysis found it. */
export function confirm(plan: Plan, f: Finding): string {
	const { schema } = plan;
	const run = (
		more: Partial<Pick<Trial, 'was' | 'sent' | 'entryPoint'>> = {},
		at = AT,
		inLine = true
	): SettledRecord => {
		const record = submissionOf(schema, {
			type: f.type,
			was: more.was !== undefined ? more.was : (f.was ?? null),
			sent: more.sent ?? Object.entries(f.witness!)
		});
		const near = (f.near ?? []).map((r) => ({
			...r,
			values: valuesFromJson(schema, r.type, r.values)
		}));
		return settle(
			plan,
			{
				records: [{ ...record, inLine }],
				entryPoint: more.entryPoint ?? f.entryPoint ?? 'full',
				instant: at,
				person: null
			},
			recordsLoader(schema, near),
			{ explain: true, states: true, zones }
		).records[0];
	};
	const rec = run();
	const reports = rec.reports.filter((r) => r.rule === f.rule);
	const did = (...outcomes: Outcome[]) =>
		reports.some((r) => outcomes.includes(r.outcome))
			? 'shown'
			: `it did: ${reports.map((r) => r.outcome).join(', ')}`;
	const i = schema.type(f.type).at.get(f.field)!;
	const differs = (a: SettledRecord, b: SettledRecord) =>
		same(a.values[i], b.values[i]) ? 'both come to the same' : 'shown';
	if (/never both be met/.test(f.message))
		return rec.messages.some((m) => m.blocking) ? 'shown' : 'nothing refuses it';
	if (/both take/.test(f.message)) return did('several rows', 'left', 'cleared');
	if (/a look-up finds both/.test(f.message))
		return did('several rows', 'left', 'cleared', 'wrote', 'same value');
	if (/It fails/.test(f.message)) return did('failed');
	if (/can match/.test(f.message))
		return reports.some((r) => (r.found?.length ?? 0) > 1) ? 'shown' : 'there are not several';
	if (/where the rule gives/.test(f.message)) {
		const roads = (['full', 'short', 'import', 'api'] as const).map((entryPoint) =>
			run({ entryPoint })
		);
		return roads.some((r) => differs(r, rec) === 'shown') ? 'shown' : 'every road gives the same';
	}
	if (/days pass/.test(f.message))
		return [40, 400].some((d) => differs(run({}, AT + d * DAY), rec) === 'shown')
			? 'shown'
			: 'days change nothing';
	if (/given again/.test(f.message)) {
		const once = valuesToJson(schema, f.type, rec.values)[f.field] ?? null;
		return differs(run({ sent: Object.entries({ ...f.witness, [f.field]: once }) }), rec);
	}
	if (/at the next save/.test(f.message)) {
		const was = valuesToJson(schema, f.type, rec.values);
		return differs(run({ was, sent: [] }, AT, false), rec);
	}
	if (/^With .* blank nobody can tell/.test(f.message)) return did('wrote', 'same value');
	if (/lets nobody set it|nobody else can/.test(f.message))
		return rec.messages.some((m) => m.field === f.field && m.blocking)
			? 'shown'
			: 'nothing refuses it';
	if (/nothing for any of|so it stays blank/.test(f.message)) return did(...EMPTY);
	if (/leave no option/.test(f.message))
		return rec.limited.get(f.field)?.length === 0 ? 'shown' : 'options are left';
	if (/required only where it is hidden/.test(f.message))
		return rec.hidden.has(f.field) ? 'shown' : 'it is not hidden';
	if (/space/.test(f.message)) return did('wrote', 'same value');
	if (/Nothing takes|No row|no row|Nobody|gets nothing/.test(f.message)) return did(...EMPTY);
	return `no way to confirm “${f.message}”`;
}
