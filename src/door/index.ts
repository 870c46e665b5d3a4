/** Checks what comes in from outside, once, at the door; inside it is trusted. */
import * as yup from 'yup';
import type { Formula, JsonValue, Need, RuleSet } from '../core';
import { MATCH_HOWS, withoutRows } from '../core';
import { BadInput, check } from './check';
import { day, flag, formula, isObject, json, list, only, text, word } from './parts';
import { at, checkVersionFile } from './documents';
import { pairs } from './draft';
import { CRITERIA, MOST_REASON, MOST_REMARK, REMARKED, type Reasons } from './gate';

export { BadInput } from './check';
export {
	MOST_KNOWN,
	checkBundle,
	checkChange,
	checkRelease,
	checkSought,
	checkVersionFile,
	type ChangeDocument,
	type Release
} from './documents';
export {
	checkAcceptance,
	checkDefinition,
	checkHere,
	checkKeptTrial,
	checkLost,
	checkModel,
	checkModelPieces,
	checkOrder,
	checkPieces,
	checkRevision,
	checkRule,
	checkTable,
	checkTrial,
	checkTrialSeen,
	checkVersion
} from './draft';
export { parseJson, readJson } from './json';
export { checkNewPerson, checkPersonChange } from './people';

/** What a form or the API submits. @throws {BadInput} naming the place */
export const checkSubmission = (v: unknown) =>
	check<{ sent: [string, unknown][]; version?: number; release?: number; living?: number }>(
		yup.object({
			sent: pairs.required(),
			version: yup.number().integer(),
			release: yup.number().integer().min(0),
			living: yup.number().integer().min(0)
		}),
		v
	);

const recordNumber = () =>
	yup
		.string()
		.strict()
		.required()
		.matches(/^\d{1,18}$/, '${path} must be a record number');

/** Most needs that one request names. */
export const MOST_NEEDS = 1_000;

/** What a form has not at hand. @throws {BadInput} naming the place */
export const checkNeeds = (v: unknown) =>
	check<{ needs: Need[] }>(
		yup.object({
			needs: list(
				yup.lazy((n: unknown) =>
					(isObject(n) && 'id' in n
						? yup.object({ type: text(60), id: recordNumber() })
						: isObject(n) && 'match' in n
							? yup.object({
									type: text(60),
									match: list(
										only({
											field: text(60),
											how: word(MATCH_HOWS),
											key: text(4000)
										}),
										20,
										1
									)
								})
							: yup.object({
									type: text(60),
									field: text(60),
									of: recordNumber(),
									named: yup.boolean().strict().optional()
								})
					).noUnknown()
				),
				MOST_NEEDS
			)
		}),
		v
	).needs;

/** Most wanted values that somebody gives by example. */
export const MOST_EXAMPLES = 20;

/** A field for which rules are looked for, with wanted values by record. @throws {BadInput} naming the place */
export function checkSuggesting(v: unknown) {
	const { examples, ...field } = check<{
		type: string;
		field: string;
		examples: { record: string; value: JsonValue }[];
	}>(
		yup.object({
			type: text(60),
			field: text(60),
			examples: list(only({ record: recordNumber(), value: json() }), MOST_EXAMPLES)
		}),
		v
	);
	return {
		...field,
		examples: Object.fromEntries(examples.map((e) => [e.record, e.value ?? null]))
	};
}

const versionOf = () =>
	yup
		.mixed<number | 'draft'>()
		.test(
			'version',
			'${path} must be "draft" or the number of a release; 0 for no rules at all',
			(v) => v === undefined || v === 'draft' || (Number.isInteger(v) && (v as number) >= 0)
		);

/**
 * What is to be rehearsed: which version against which, one of them perhaps from a file, and on which records, or on the changes of which days; all
 * of it may be left out.
 * @returns with null in the place of the draft @throws {BadInput} naming the place
 */
export function checkRehearsal(v: unknown): {
	before?: number | null;
	after: number | null;
	selection: { type: string; condition: Formula } | null;
	period: { from: string; to: string } | null;
	file?: { name: string; as: 'before' | 'after'; set: RuleSet };
} {
	const { before, after, selection, period, file } = check<{
		before?: number | 'draft';
		after?: number | 'draft';
		selection?: { type: string; condition: Formula } | null;
		period?: { from: string; to: string } | null;
		file?: { name: string; as: 'before' | 'after'; document: unknown };
	}>(
		only({
			before: versionOf(),
			after: versionOf(),
			selection: only({ type: text(60), condition: formula().required() })
				.nullable()
				.optional(),
			period: only({ from: day(), to: day() }).nullable().optional(),
			file: only({
				name: text(200).required(),
				as: yup.string().strict().oneOf(['before', 'after']).required(),
				document: yup.mixed().required()
			}).optional()
		}),
		v ?? {}
	);
	if (selection && period)
		throw new BadInput('It is either some records or the changes of a period, not both.');
	const number = (x: number | 'draft') => (x === 'draft' ? null : x);
	return {
		...(before === undefined ? {} : { before: number(before) }),
		after: number(after ?? 'draft'),
		selection: selection ?? null,
		period: period ?? null,
		...(file
			? {
					file: {
						name: file.name,
						as: file.as,
						set: at('file.document', () => withoutLivingRows(checkVersionFile(file.document).set))
					}
				}
			: {})
	};
}

/** Rows that are edited in force are those here, whatever a file holds. */
const withoutLivingRows = (set: RuleSet): RuleSet =>
	set.tables ? { ...set, tables: set.tables.map(withoutRows) } : set;

/** Why something is released although, by criterion. @throws {BadInput} naming the place */
export const checkReasons = (v: unknown): Reasons =>
	check<Reasons>(
		yup
			.object(
				Object.fromEntries(CRITERIA.map((c) => [c, yup.string().strict().trim().max(MOST_REASON)]))
			)
			.noUnknown(true)
			.strict(),
		v ?? {}
	);

/** Why one release is put in force although it is not as the gate has it; empty where nothing was said. @throws {BadInput} */
export const checkReason = (v: unknown): string =>
	check<{ reason?: string }>(
		only({ reason: yup.string().strict().max(MOST_REASON) }),
		v === undefined ? {} : { reason: v }
	).reason?.trim() ?? '';

/** A surprise that somebody looked at, or did not after all. @throws {BadInput} naming the place */
export const checkLooked = (v: unknown) =>
	check<{ key: string; looked: boolean }>(
		only({ key: text(300), looked: yup.boolean().strict().required() }),
		v
	);

/** What somebody says of a rule, a finding or a trial. @throws {BadInput} naming the place */
export const checkRemark = (v: unknown) =>
	check<{ kind: (typeof REMARKED)[number]; key: string; title: string; text: string }>(
		only({
			kind: word(REMARKED),
			key: text(300).min(1),
			title: text(300).min(1),
			text: text(MOST_REMARK).trim().min(1)
		}),
		v
	);

/** Whether a remark is settled. @throws {BadInput} naming the place */
export const checkSettled = (v: unknown) =>
	check<{ settled: boolean }>(only({ settled: flag() }), v);

/** Records whose titles are wanted. @throws {BadInput} naming the place */
export const checkTitles = (v: unknown) =>
	check<{ wanted: { type: string; id: string }[] }>(
		yup.object({
			wanted: list(only({ type: text(60), id: recordNumber() }), 500)
		}),
		v
	).wanted;
