/** What message rules send for one record, on settled values. */
import type { RecordView } from '../feel/env';
import { LimitError } from '../feel/budget';
import type { OncePer } from '../document/rules';
import type { MessageRule } from '../plan/types';
import { LocalDate } from '../value/temporal';
import type { Value } from '../value/value';
import { isBlank } from '../value/value';

/** A message that leaves when the change is kept. */
export interface Outgoing {
	/** Id of the message rule. */
	claim: string;
	to: string;
	subject: string;
	text: string;
	/** The related record it is for; null when it is for the record itself. */
	target: { type: string; id: string } | null;
	/**
	 * Another message with this key is not sent, ever; null for one that leaves once for this change.
	 */
	once: string | null;
}

/** What came of a message rule at one record. */
export interface Sending {
	sends: Outgoing[];
	/** Related records that were looked at, and those left out: without an address, or with one already written to. */
	of: number;
	withoutAddress: number;
	doubled: number;
	/** Those at which it failed; the others get theirs. */
	failed: { target: string; message: string }[];
}

/** What a message rule needs of the pass that runs it. */
export interface SendingPass {
	/** Makes formulas read a record. */
	at(view: RecordView): Parameters<MessageRule['to']>[0];
	view(type: string, id: string): RecordView | null;
	related(type: string, field: string, id: string): readonly string[];
}

/** The period that a day lies in: `2026-Q4`, `2026-11`, `week of 2026-11-23`; weeks begin on Monday, as in ISO 8601. */
export function periodOf(once: OncePer, day: LocalDate): string {
	const two = (n: number) => String(n).padStart(2, '0');
	switch (once) {
		case 'event':
			return '';
		case 'day':
			return day.toString();
		case 'week':
			return `week of ${LocalDate.fromEpochDay(day.epochDay - day.weekday + 1)!.toString()}`;
		case 'month':
			return `${day.year}-${two(day.month)}`;
		case 'quarter':
			return `${day.year}-Q${Math.ceil(day.month / 3)}`;
		case 'year':
			return String(day.year);
	}
}

/**
 * Writes the messages of one rule for one record. Two related records with one address get one
 * message. @throws what the pass throws when a record is not at hand
 */
export function sendings(
	m: MessageRule,
	rec: RecordView,
	today: LocalDate,
	pass: SendingPass
): Sending {
	const out: Sending = { sends: [], of: 0, withoutAddress: 0, doubled: 0, failed: [] };
	const ids = m.each ? pass.related(m.each.type, m.each.field, rec.id) : [rec.id];
	const written = new Set<string>();
	for (const id of ids) {
		const about = m.each ? pass.view(m.each.type, id) : rec;
		if (!about) continue;
		const env = pass.at(about);
		try {
			if (m.filter && m.filter(env) !== true) continue;
			out.of++;
			const to: Value = m.to(env);
			if (isBlank(to) || typeof to !== 'string') {
				out.withoutAddress++;
				continue;
			}
			const address = to.trim();
			if (written.has(address.toLowerCase())) {
				out.doubled++;
				continue;
			}
			const [subject, text] = [m.subject(env), m.text(env)];
			written.add(address.toLowerCase());
			const target = m.each ? { type: m.each.type, id } : null;
			const period = periodOf(m.once, today);
			const whom = target ? `${target.type}:${id}` : address.toLowerCase();
			out.sends.push({
				claim: m.id,
				to: address,
				subject,
				text,
				target,
				once: period ? `${m.rule.id}/${rec.type}:${rec.id}/${whom}/${period}` : null
			});
		} catch (e) {
			if (!(e instanceof LimitError)) throw e;
			out.failed.push({ target: id, message: e.message });
		}
	}
	return out;
}
