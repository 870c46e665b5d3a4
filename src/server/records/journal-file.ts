/** The journal as a table that leaves as a file: as the page has it, all of it. */
import type { JsonValue, Plan, Schema } from '../../core';
import { MESSAGES, ROAD_LABEL } from '../../core';
import { formatValue } from '../../runtime/format';
import { sayOutcome } from '../../runtime/outcomes';
import { fieldThen, type PastField } from '../../runtime/past';
import type { JournalLine } from '../db/journal-lines';

export const JOURNAL_HEAD = [
	'When (UTC)',
	'Change',
	'Who',
	'Road',
	'Release',
	'Record type',
	'No.',
	'Record',
	'Field',
	'What',
	'From',
	'To',
	'Rule',
	'Because'
] as const;

/**
 * Lines of the journal as rows below that head, in words as they were at the time.
 * @param past fields that became others or were removed, oldest first
 * @param titles of the records that they name, by `type.id`
 */
export function journalRows(
	lines: readonly JournalLine[],
	{ schema, plan }: { schema: Schema; plan: Plan },
	past: readonly PastField[],
	titles: Readonly<Record<string, string>>
): string[][] {
	return lines.map((l) => {
		const type = schema.types.get(l.type)?.type;
		const field =
			l.field === null || l.field === MESSAGES
				? undefined
				: fieldThen(
						type && schema.field(l.type, l.field),
						past,
						{ type: l.type, field: l.field },
						l.at
					);
		const say = (v: JsonValue) => (field ? formatValue(field, v, schema, titles) : '');
		const from = l.outcome === 'set' ? say(l.was) : '';
		const to =
			l.outcome === 'sent'
				? String(l.now)
				: l.outcome === 'set' || l.outcome === 'set aside'
					? say(l.now)
					: '';
		// where a rule did nothing its name is not kept
		const rule = l.ruleName ?? (l.claim && plan.claims.get(l.claim)?.rule.name);
		return [
			l.at,
			l.change ?? '',
			l.who ?? '',
			ROAD_LABEL[l.entryPoint],
			l.release && l.entryPoint !== 'model' ? String(l.release) : '',
			type?.label ?? l.type,
			l.record ?? '',
			l.record === null ? '' : (titles[`${l.type}.${l.record}`] ?? ''),
			field?.label ?? (l.field === MESSAGES ? 'Messages' : (l.field ?? '')),
			sayOutcome(l),
			from,
			to,
			rule ?? l.claim?.split(':')[0] ?? '',
			l.because ?? ''
		];
	});
}
