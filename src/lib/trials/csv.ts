/**
 * Trials as cells of a spreadsheet and back: a line a trial, a column a field (what was before, what is
 * sent, what it must give). A trial of several changes, with linked records, or that expects more than
 * values has no line; such go by JSON.
 */
import type { Expectation, Field, JsonValue, Schema, Trial } from '$core';
import {
	ENTRY_LABEL,
	ENTRY_POINTS,
	fromText,
	isText,
	looseKey,
	toJson,
	type EntryPoint
} from '$core';
import { newTrialId } from './words';

const FIXED = ['Name', 'Group', 'Record type', 'Record', 'Road', 'Moment'] as const;
const AS = ['before', 'sent', 'gives'] as const;
type As = (typeof AS)[number];
/** What stands in the column *Record* for one that does not exist yet. */
const NEW = 'new';
/** A blank that is meant; an empty cell says nothing. */
const BLANK = 'blank';

type ValueOf = Extract<Expectation, { value: JsonValue }>;
const plainValue = (x: Expectation): x is ValueOf => 'value' in x && !x.not && !x.at;

/** Whether a line holds all that a trial says. */
export const fitsCells = (t: Trial): boolean =>
	!t.then?.length &&
	!t.rows?.length &&
	!t.near?.length &&
	!t.added &&
	!t.record &&
	t.expect.every(plainValue);

/** A value as it is typed: options by label, numbers and dates as they are stored. */
function typed(f: Field, v: JsonValue, schema: Schema): string {
	if (v === null) return BLANK;
	if (typeof v === 'boolean') return v ? 'yes' : 'no';
	const one = (x: string) => (f.list && schema.option(f.list, x)?.label) || x;
	return Array.isArray(v) ? v.map((x) => one(String(x))).join(', ') : one(String(v));
}

/** Trials as lines; those that no line holds are left out. */
export function trialsToCells(trials: readonly Trial[], schema: Schema): string[][] {
	const columns = new Map<string, { as: As; type: string; field: Field }>();
	const note = (as: As, type: string, id: string) => {
		const field = schema.field(type, id);
		if (field) columns.set(`${as} ${type}.${id}`, { as, type, field });
	};
	const fitting = trials.filter((t) => fitsCells(t) && schema.types.has(t.type));
	for (const t of fitting) {
		Object.keys(t.was ?? {}).forEach((id) => note('before', t.type, id));
		t.sent.forEach(([id]) => note('sent', t.type, id));
		t.expect.filter(plainValue).forEach((x) => note('gives', t.type, x.field));
	}
	const all = [...columns.values()].sort((a, b) => AS.indexOf(a.as) - AS.indexOf(b.as));
	const label = (type: string) => schema.type(type).type.label;
	const lines = fitting.map((t) => [
		t.name,
		t.group ?? '',
		label(t.type),
		t.was === null ? NEW : 'stored',
		ENTRY_LABEL[t.entryPoint],
		t.at,
		...all.map(({ as, type, field }) => {
			if (type !== t.type) return '';
			const v =
				as === 'before'
					? t.was?.[field.id]
					: as === 'sent'
						? t.sent.find(([id]) => id === field.id)?.[1]
						: t.expect.filter(plainValue).find((x) => x.field === field.id)?.value;
			return v === undefined ? '' : typed(field, v, schema);
		})
	]);
	return [[...FIXED, ...all.map((c) => `${c.as}: ${label(c.type)} › ${c.field.label}`)], ...lines];
}

/**
 * Trials from lines, each with an identity of its own; or what is wrong, with its line and column.
 * @param at the moment of those that name none
 */
export function trialsFromCells(
	cells: readonly (readonly string[])[],
	schema: Schema,
	at: string
): { ok: true; trials: Trial[] } | { ok: false; message: string } {
	const bad = (message: string) => ({ ok: false as const, message });
	const [head, ...lines] = cells;
	if (!head || !lines.length) return bad('There is no line of a trial in it.');
	const same = (a: string, b: string) => looseKey(a) === looseKey(b);
	const fixed = new Map<string, number>();
	const columns: { as: As; type: string; field: Field; at: number }[] = [];
	for (const [k, name] of head.entries()) {
		const known = FIXED.find((f) => same(f, name));
		if (known) {
			fixed.set(known, k);
			continue;
		}
		if (!name.trim()) continue;
		const [, as, typeLabel, fieldLabel] =
			/^\s*(before|sent|gives)\s*:\s*(.*?)\s*›\s*(.*?)\s*$/i.exec(name) ?? [];
		const type = schema.model.types.find((t) => typeLabel && same(t.label, typeLabel));
		const field = type?.fields.find((f) => same(f.label, fieldLabel));
		if (!as || !field)
			return bad(
				`Column ${k + 1}: “${name}” is none. A column is one of ${FIXED.join(', ')}, or such as “sent: Customer › Headcount”.`
			);
		columns.push({ as: as.toLowerCase() as As, type: type!.id, field, at: k });
	}
	if (!fixed.has('Record type')) return bad('The column Record type is missing.');
	const trials: Trial[] = [];
	for (const [i, line] of lines.entries()) {
		const cell = (name: (typeof FIXED)[number]) => line[fixed.get(name) ?? -1]?.trim() ?? '';
		const where = `Line ${i + 2}`;
		const type = schema.model.types.find((t) => same(t.label, cell('Record type')));
		if (!type) return bad(`${where}: there is no record type “${cell('Record type')}”.`);
		const road: EntryPoint | undefined = cell('Road')
			? ENTRY_POINTS.find((e) => same(ENTRY_LABEL[e], cell('Road')))
			: 'full';
		if (!road) return bad(`${where}: there is no road “${cell('Road')}”.`);
		const moment = cell('Moment') || at;
		if (Number.isNaN(Date.parse(moment))) return bad(`${where}: “${moment}” is no moment.`);
		const t: Trial = {
			id: newTrialId(),
			name: cell('Name'),
			...(cell('Group') ? { group: cell('Group') } : {}),
			type: type.id,
			was: !cell('Record') || same(cell('Record'), NEW) ? null : {},
			sent: [],
			entryPoint: road,
			at: moment,
			expect: []
		};
		for (const c of columns) {
			const text = line[c.at] ?? '';
			if (!text.trim()) continue;
			const label = head[c.at];
			if (c.type !== type.id) return bad(`${where}, ${label}: the trial is of a ${type.label}.`);
			if (!isText(text)) return bad(`${where}, ${label}: this cannot be read.`);
			const r = same(text, BLANK)
				? { ok: true as const, value: null }
				: fromText(c.field, text, schema);
			if (!r.ok) return bad(`${where}, ${label}: ${r.message}`);
			const value = toJson(r.value);
			if (c.as === 'sent') t.sent.push([c.field.id, value]);
			else if (c.as === 'gives') t.expect.push({ field: c.field.id, value });
			else if (t.was) t.was[c.field.id] = value;
			else return bad(`${where}, ${label}: a new record holds nothing before.`);
		}
		if (!t.expect.length) return bad(`${where}: it expects nothing.`);
		trials.push(t);
	}
	return { ok: true, trials };
}
