/** What a rule is set off by, and the edits of that: shared by its sentence and by what narrows it. */
import type { EntryPoint, Formula, MomentName, Rule } from '$core';
import { refusesWhenFailing, withoutOutput } from '$core';
import { andList } from '../words/format';
import type { Workbench } from '../work/workbench.svelte';

export function reachOf(w: Workbench, rule: Rule) {
	const { type } = w.schema.type(rule.type);
	/** The record type at which it is set off: its own, or the one its `each` link points to. */
	const setOffAt = w.schema.type(
		(rule.each && w.schema.field(rule.type, rule.each)?.target) || rule.type
	).type;
	const { claims, validators, messages } = w.shown.plan;
	const claim =
		rule.outputs
			.map((o) => claims.get(`${rule.id}:${o.id}`) ?? validators.get(`${rule.id}:${o.id}`))
			.find((c) => c) ?? messages.find((m) => m.rule.id === rule.id);
	const watched = () => {
		if (rule.watch) {
			const names = rule.watch.map((id) => w.schema.field(setOffAt.id, id)?.label ?? id);
			return andList(names, 'or') || 'nothing';
		}
		const own = claim
			? [...new Set([...claim.triggers, ...claim.triggersSent])].map((i) => type.fields[i].label)
			: [];
		for (const r of claim && 'reached' in claim ? claim.reached : []) {
			const field = w.schema.field(r.type, r.field)?.label ?? r.field;
			// at the record that sets it off the field stands for itself
			const near = rule.each && r.via.length === 1;
			const name = near ? field : `${w.schema.type(r.type).type.label}’s ${field}`;
			if (!own.includes(name)) own.push(name);
		}
		return andList(own, 'or');
	};
	return {
		type,
		setOffAt,
		/** The fields whose change makes it run, in words; empty where it waits for none. */
		watched: watched(),
		watchChoices: setOffAt.fields
			.filter((f) => !f.retired)
			.map((f) => ({ value: f.id, label: f.label })),
		links: type.fields.filter((f) => f.type === 'link' && !f.retired)
	};
}

export function editsOf(w: Workbench, rule: Rule) {
	const edit = (label: string, change: (r: Rule) => Rule) => w.editRule(label, rule.id, change);
	return {
		watch: (v: string[] | null) => edit('watch', (r) => ({ ...r, watch: v })),
		entryPoints: (v: string[] | null) =>
			edit('entry points', (r) => ({ ...r, entryPoints: v as EntryPoint[] | null })),
		moments: (v: string[] | null) =>
			edit('moments', (r) => ({ ...r, moments: (v ?? []) as MomentName[] })),
		guard: (f: Formula | null) =>
			edit('guard text', (r) => ({ ...r, guard: f, entering: f ? r.entering : false })),
		guardCounts: (v: string) =>
			edit('guard', (r) =>
				v === 'always'
					? { ...r, guard: null, entering: false }
					: { ...r, entering: v === 'entering' }
			),
		reached: (submittedOnly: boolean) =>
			edit('reached', (r) => ({ ...r, submittedOnly: submittedOnly || undefined })),
		failure: (refuses: boolean) =>
			edit('failure', (r) => {
				const usual = refusesWhenFailing({ ...r, refuses: undefined });
				return { ...r, refuses: refuses === usual ? undefined : refuses };
			}),
		/** @param link whose record sets it off; empty for the record itself */
		setOffAt: (link: string) =>
			edit('set off at', (r) => ({
				...r,
				each: link || undefined,
				watch: null,
				guard: null,
				entering: false,
				outputs: link
					? r.outputs.map((o) => (o.hold === 'locked' ? { ...o, hold: 'follow' as const } : o))
					: r.outputs
			})),
		/** Takes an output away, with what the body holds for it. */
		removeOutput: (at: number) => edit('output', (r) => withoutOutput(r, at)),
		addOutput: () => {
			const { type } = w.schema.type(rule.type);
			const taken = new Set(rule.outputs.map((o) => o.field));
			const like = type.fields.find((f) => f.id === rule.outputs[0]?.field)?.type;
			const next =
				type.fields.find((f) => !f.retired && !taken.has(f.id) && f.type === like) ??
				type.fields.find((f) => !f.retired && !taken.has(f.id));
			if (!next) return;
			let n = rule.outputs.length + 1;
			while (rule.outputs.some((o) => o.id === `o${n}`)) n++;
			edit('another output', (r) => ({
				...r,
				outputs: [
					...r.outputs,
					{ id: `o${n}`, field: next.id, hold: r.outputs[0].hold, none: r.outputs[0].none }
				]
			}));
		}
	};
}
