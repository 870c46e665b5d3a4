/** What the kind of a rule finds wrong with its body: inputs nobody decided about, rows that contradict, what may surprise. */
import type { Expr } from '../document/tree';
import { compileExpression } from '../feel/compile';
import { toJson } from '../fields/codec';
import { axesOf, combinations } from '../spots/cells';
import type { Rule } from '../document/rules';
import { reading, writerOf } from '../kinds';
import type { Flaw, Look } from '../kinds/spec';
import { claimId } from '../document/rules';
import type { Context } from './context';
import { carried, ofRule } from './context';
import { exprOf } from './formulas';
import { saySpots } from './guards';
import type { Finding } from './types';
import { partId } from './vocabulary';

/** What a rule leaves undecided, and what may surprise at each of its outputs. */
export function bodyFindings(c: Context, rule: Rule): Finding[] {
	const kind = writerOf(rule.body);
	if (!kind || rule.each) return [];
	const look = lookAt(c, rule);
	return [
		...kind.flaws(rule.body, look).map((f) => told(rule, f)),
		...rule.outputs.flatMap((output, i) =>
			kind.doubts(rule.body, i, look).map((f) => ({ ...told(rule, f), field: output.field }))
		)
	];
}

function told(rule: Rule, f: Flaw): Finding {
	const { is, at, place, message, witness, certificate, repair, tableRow, atRow } = f;
	const of = ofRule(rule, is, place, at);
	const shown = {
		...of,
		message,
		...(witness ? carried(witness) : {}),
		...(certificate ? { certificate } : {}),
		...(f.severity ? { severity: f.severity } : {})
	};
	if (atRow) {
		const { table, row } = atRow;
		return {
			...shown,
			id: partId({ kind: 'table', id: table }, is, row),
			part: { kind: 'table', id: table, row }
		};
	}
	if (tableRow) {
		const { table, column, value, label } = tableRow;
		// it is the table that lacks the row, whichever rule looks it up
		return {
			...shown,
			id: `table-${table}-${is}-${String(value)}`.replace(/[^a-z0-9]+/gi, '-').toLowerCase(),
			repair: { do: 'add table row', table, column, value, label }
		};
	}
	return repair ? { ...shown, repair: { ...repair, rule: rule.id } } : shown;
}

/** What is wrong with a table is one finding, however many rules meet it: they are named together. Every finding gets an address of its own. */
export function together(
	findings: readonly Finding[],
	nameOf: (rule: string) => string
): Finding[] {
	const out = new Map<string, Finding>();
	for (const f of findings) {
		const had = out.get(f.id);
		if (had?.part.kind === 'table' && f.part.kind === 'table') {
			// the table alone proves it; a rule that looks it up shows it, one is enough
			if (!had.rule) out.set(f.id, f);
		} else if (had && isMissing(f)) had.others = [...(had.others ?? []), f.rule];
		else out.set(out.has(f.id) ? `${f.id}-${out.size}` : f.id, { ...f });
	}
	return [...out].map(([id, f]) => {
		const { others } = f;
		if (!others || !isMissing(f)) return { ...f, id };
		const names = others.map((r) => `“${nameOf(r)}”`).join(', ');
		return {
			...f,
			id,
			message: `${f.message} ${names} ${others.length > 1 ? 'look' : 'looks'} it up too.`
		};
	});
}

const isMissing = (f: Finding) => f.is === 'missing row' || f.is === 'key without a row';

/** Whether a finding is about a rule, alone or with others. */
export const isAbout = (f: Finding, rule: string): boolean =>
	f.rule === rule || !!f.others?.includes(rule);

/** The truths of conditions at each combination of values that they can tell apart. */
function truthsAt(c: Context, type: string, conditions: readonly Expr[]) {
	const { probe, schema } = c;
	const axes = axesOf(schema, conditions);
	if (!axes) return null;
	const runs = conditions.map((e) => compileExpression(e, { schema, type }).run);
	const combined = [...combinations(axes)].map((values) => {
		const env = probe.env(type, probe.witness(type, axes, values));
		return runs.map((run) => run(env) === true);
	});
	return { combinations: combined, fields: saySpots(axes) };
}

/** What the analysis lends a kind. */
function lookAt(c: Context, rule: Rule): Look {
	const { probe, schema } = c;
	return {
		schema,
		rule,
		passesOn: c.passesOn(rule),
		...reading(schema, (f) => exprOf(c, rule.type, f ?? null)),
		show: (given, outcomes, what, elsewhere) => c.show(rule, given, outcomes, what, elsewhere),
		truths: (conditions) => truthsAt(c, rule.type, conditions),
		read: (w, spot) => probe.read(w, spot),
		put: (w, spot, v) => probe.put(w, rule.type, spot, v),
		found: (w, output) => {
			const id = claimId(rule.id, rule.outputs[output].id);
			return probe.run(rule.type, w).reports.find((r) => r.claim === id)?.found?.length ?? 0;
		},
		notAnalysed: (message) => c.notAnalysed(rule, message),
		say: (field, v) => c.say(field, typeof v === 'object' && v !== null ? toJson(v as never) : v)
	};
}
