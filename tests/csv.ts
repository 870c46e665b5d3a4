/** A file imported at once, as its job does piece by piece: for tests and benches. */
import { BadInput } from '../src/door';
import { db } from '../src/server/db/pool';
import { keyAfterRules } from '../src/server/imports/key-after';
import {
	columnChoices,
	columnsByName,
	checkSettings,
	readCsv,
	findStored,
	readyRows,
	type Settings
} from '../src/server/imports/rows';
import {
	RefusedChange,
	inForce,
	saveInOrder,
	type SaveOutcome,
	type Sender,
	type SubmissionFault
} from '../src/server/records';

export interface ImportRow {
	line: number;
	outcome: SaveOutcome | null;
	faults: SubmissionFault[];
}
export type ImportResult =
	{ ok: true; columns: string[]; rows: ImportRow[] } | { ok: false; message: string };

const TOGETHER = 200;

export async function importCsv(
	sender: Sender,
	type: string,
	text: string,
	keep: string[],
	more: Partial<Settings> = {}
): Promise<ImportResult> {
	try {
		const { head, rows } = readCsv(text);
		const force = await inForce(db(), sender.workspace);
		const { schema } = force;
		const columns = columnsByName(schema, type, head);
		const unknown = head.filter((_, i) => !columns[i]);
		if (unknown.length) return { ok: false, message: `no field is called “${unknown[0]}”` };
		const settings: Settings = { columns, keep, by: null, mode: 'both', ...more };
		checkSettings(schema, type, head, settings);
		const out: ImportRow[] = [];
		for (let at = 0; at < rows.length;) {
			const ready = await readyRows(
				findStored(db(), sender.workspace, schema),
				schema,
				type,
				settings,
				rows.slice(at, at + TOGETHER),
				keyAfterRules(db(), force, sender, type, settings.by)
			);
			at += ready.length;
			const good = ready.filter((r) => r.submission);
			const outcomes = await saveInOrder(
				sender,
				good.map((r) => [r.submission!])
			);
			for (const r of ready) {
				const o = outcomes[good.indexOf(r)];
				if (!o) out.push({ line: r.line, outcome: null, faults: r.faults });
				else if (o instanceof RefusedChange)
					out.push({ line: r.line, outcome: null, faults: o.faults });
				else out.push({ line: r.line, outcome: o[0], faults: [] });
			}
		}
		const labels = columnChoices(schema, type);
		return {
			ok: true,
			columns: columns.map((c) => labels.find((x) => x.value === c)!.label),
			rows: out
		};
	} catch (e) {
		if (e instanceof BadInput) return { ok: false, message: e.message };
		throw e;
	}
}
