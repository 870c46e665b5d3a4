/**
 * Which records a change will most likely need locked, before it is settled: those that links lead to
 * which its rules read, or on which they run on. A guess that is wrong costs a lock or a second round,
 * never a wrong value; without one every such change would be settled twice, in two transactions.
 */
import type { Plan } from '../../core';
import type { Db } from '../db/pool';
import { readLinks } from '../db/records';
import type { Locks } from './locks';
import type { Submission } from './types';

/** The links (field ids) of a record that matter when some of its fields change; all of them when it is new. */
export function linksThatMatter(plan: Plan, type: string, sent: Iterable<string> | null): string[] {
	const of = plan.types.get(type);
	if (!of) return [];
	const { at } = plan.schema.type(type);
	const links = new Set<string>();
	const changed = new Set<number>();
	const change = (i: number) => {
		if (changed.has(i)) return;
		changed.add(i);
		for (const r of of.reach[i] ?? []) {
			const last = r.via.at(-1);
			if (last?.back && last.type === type) links.add(last.field);
		}
		for (const n of of.watchers[i]) if (!looked.has(n)) look(n);
		for (const k of of.judges[i]) reads(of.validators[k]);
	};
	const looked = new Set<number>();
	const reads = (of: {
		reads: readonly { via: readonly { type: string; field: string; back: boolean }[] }[];
	}) => {
		for (const { via } of of.reads) {
			const first = via.at(0);
			if (first && !first.back && first.type === type) links.add(first.field);
		}
	};
	function look(n: number) {
		looked.add(n);
		if (n >= plan.nodes.length) return reads(plan.messages[n - plan.nodes.length]);
		const node = plan.nodes[n];
		for (const c of [...node.claims, ...node.adders]) {
			reads(c);
			if (c.each >= 0) links.add(plan.schema.type(type).type.fields[c.each].id);
		}
		node.limits.forEach(reads);
		change(node.index);
	}
	if (sent) {
		for (const id of sent) {
			const i = at.get(id);
			if (i !== undefined) change(i);
		}
	} else {
		for (const i of at.values()) change(i);
		for (const n of [...of.nodes, ...of.messages]) if (!looked.has(n)) look(n);
		of.validators.forEach(reads);
	}
	return [...links];
}

const isNumber = (v: unknown): v is string => typeof v === 'string' && /^\d{1,18}$/.test(v);

/** Adds to the locks what submissions will most likely need: where their links point, as stored and as sent. */
export async function foresee(
	client: Db,
	workspace: string,
	plan: Plan,
	submissions: readonly (Pick<Submission, 'type' | 'id' | 'sent' | 'restores'> & {
		/** It is to be deleted: whatever its links lead to may be concerned. */
		removed?: true;
	})[],
	locks: Locks
): Promise<void> {
	const { schema } = plan;
	// which of them decides a record is known when it is locked
	const plans = plan.pilot ? [plan, plan.pilot.plan] : [plan];
	const lock = (type: string, id: unknown) => {
		if (isNumber(id)) locks.set(type, (locks.get(type) ?? new Set<string>()).add(id));
	};
	for (const type of new Set(submissions.map((s) => s.type))) {
		if (!schema.types.has(type)) continue;
		const mine = submissions.filter((s) => s.type === type);
		const wanted = new Set<string>();
		for (const s of mine) {
			const sent = new Map(s.sent);
			const whole = s.id === null || s.restores !== undefined || s.removed;
			const fields = whole ? null : [...sent.keys()];
			for (const link of plans.flatMap((p) => linksThatMatter(p, type, fields))) {
				wanted.add(link);
				if (sent.has(link)) lock(schema.field(type, link)!.target!, sent.get(link));
			}
		}
		const there = mine.flatMap((s) => (isNumber(s.id) ? [s.id] : []));
		if (!there.length || !wanted.size) continue;
		const links = [...wanted];
		for (const row of await readLinks(client, workspace, type, there, links))
			links.forEach((link, k) => lock(schema.field(type, link)!.target!, row[k]));
	}
}
