/**
 * Findings that somebody accepts with a reason. An acceptance names the finding by its identity and holds
 * a digest of what it rests on: once that changes, it lapses and the finding is told again.
 */
import { sha256 } from '@noble/hashes/sha2.js';
import { bytesToHex, utf8ToBytes } from '@noble/hashes/utils.js';
import { canonicalJson } from '../document/canonical';
import type { Schema } from '../document/model';
import type { Acceptance, Rule, RuleSet } from '../document/rules';
import { claimId } from '../document/rules';
import { walk } from '../document/walk';
import { FINDINGS } from '../kinds/catalogue';
import { kindOf } from '../kinds';
import { inTrees } from './formulas';
import type { Finding } from './types';
import type { Beside } from './kept';

/** Whether a finding may be accepted at all: what leaves a rule, definition or table out may not. */
export const mayBeAccepted = (f: Finding): boolean => !('leavesOut' in FINDINGS[f.is]);

/** How often people had overruled a claim when that was accepted; it lapses when that has doubled. */
export function timesOf(f: Finding, { overruled = {} }: Beside): number | undefined {
	if (f.is !== 'overruled') return undefined;
	const times = Object.entries(overruled).flatMap(([claim, o]) =>
		claim.startsWith(`${f.rule}:`) ? [o.overruled] : []
	);
	return Math.max(0, ...times);
}

/**
 * The digest (SHA-256, hex) of what a finding rests on: the claims and checks of its fields with their
 * order, the definitions and options that these speak of, the rows of a table that it names, and of the
 * table else what says how keys are met; never its witness.
 */
export function restsOn(f: Finding, stored: RuleSet, schema: Schema, beside: Beside = {}): string {
	const set = inTrees(stored, schema);
	const parts: unknown[] = [f.is, f.severity];
	const named = set.rules.filter((r) => r.id === f.rule || f.others?.includes(r.id));
	const fields = new Set(named.flatMap((r) => r.outputs.map((o) => `${r.type}.${o.field}`)));
	const rules = set.rules.filter(
		(r) => named.includes(r) || r.outputs.some((o) => fields.has(`${r.type}.${o.field}`))
	);
	parts.push(...rules.map(plain));
	for (const key of [...fields].sort()) {
		const order = Object.hasOwn(set.order, key) ? set.order[key] : [];
		const own = rules.flatMap((r) => r.outputs.map((o) => claimId(r.id, o.id)));
		parts.push(order.filter((id) => own.includes(id)));
	}
	const [definitions, lists] = [new Set<string>(), new Set<string>()];
	const spokenOf = (doc: unknown) =>
		walk(doc, (e) => {
			if (e.k === 'option') lists.add(e.list);
			if (e.k === 'field' || e.k === 'through') {
				const field = schema.field(e.type, e.field);
				if (field?.list) lists.add(field.list);
			}
			if (e.k !== 'use' || definitions.has(e.definition)) return;
			definitions.add(e.definition);
			spokenOf(schema.definitions.get(e.definition)?.body);
		});
	for (const r of rules) {
		spokenOf([r.guard, r.body]);
		const source = kindOf(r.body).source(r.body);
		for (const id of [source, ...r.outputs.map((o) => o.field)]) {
			const list = id === null ? undefined : schema.field(r.type, id)?.list;
			if (list) lists.add(list);
		}
	}
	if (f.part.kind === 'definition') definitions.add(f.part.id);
	parts.push(...[...definitions].sort().map((id) => schema.definitions.get(id) ?? id));
	parts.push(...[...lists].sort().map((id) => schema.lists.get(id)?.options ?? id));
	const tables = new Set(
		f.part.kind === 'table' ? [f.part.id] : named.flatMap((r) => kindOf(r.body).tables(r.body))
	);
	for (const id of [...tables].sort()) {
		const t = schema.tables.get(id);
		if (!t) continue;
		const { columns, keys, missing } = t;
		// of the rows the one that it names: others may come and go
		const row = f.part.kind === 'table' && f.part.row !== undefined ? t.rows[f.part.row] : null;
		parts.push({ id, columns, keys, missing }, row);
	}
	if (f.part.kind === 'type') {
		const type = schema.types.get(f.part.id)?.type;
		parts.push(type?.short, type?.columns);
	}
	if (f.part.kind === 'trial') parts.push(beside.trials?.find((t) => t.id === f.part.id));
	return bytesToHex(sha256(utf8ToBytes(canonicalJson(parts))));
}

/** A rule without what is for people to read. */
const plain = ({ name: _name, why: _why, ...rest }: Rule) => rest;

/** Marks what was accepted, and what was and has lapsed. */
export function withAcceptances(
	findings: readonly Finding[],
	set: RuleSet,
	schema: Schema,
	beside: Beside
): Finding[] {
	const byId = new Map<string, Acceptance>((set.accepted ?? []).map((a) => [a.id, a]));
	if (!byId.size) return [...findings];
	return findings.map((f) => {
		const a = byId.get(f.id);
		if (!a || !mayBeAccepted(f)) return f;
		const times = timesOf(f, beside) ?? 0;
		const stands = a.rests === restsOn(f, set, schema, beside) && times < 2 * (a.times ?? Infinity);
		return { ...f, accepted: { ...a, stands } };
	});
}

/**
 * Whether a finding of one rule set is one of another too, since nothing that it rests on differs.
 * @param set with the schema that knows its definitions and tables; `earlier` likewise
 */
export function standsIn(
	f: Finding,
	{ set, schema }: { set: RuleSet; schema: Schema },
	earlier: { set: RuleSet; schema: Schema }
): boolean {
	return restsOn(f, set, schema) === restsOn(f, earlier.set, earlier.schema);
}
