/** Which rules part a formula where their input could be a field: chosen in the sentence, heeded by the editor. */
import { SvelteSet } from 'svelte/reactivity';
import type { BodyOf, Rule } from '$core';

export const byFormula = new SvelteSet<string>();

/** The field that bands part, where their input is one of the record's own; null for a formula. */
export function bandInput(rule: Rule, body: BodyOf<'bands'>): string | null {
	if (byFormula.has(rule.id) || !('expr' in body.input)) return null;
	const e = body.input.expr;
	return e.k === 'field' && e.image === 'settled' && e.type === rule.type ? e.field : null;
}
