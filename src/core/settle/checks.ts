/** Checks, required and hidden fields: what is said of a record once its values are settled. */
import type { Validator } from '../plan/plan';
import type { Value } from '../value/value';
import { isBlank, same } from '../value/value';
import { failure } from './attempt';
import { inEffect, told, wouldBe } from './conditions';
import { report } from './evidence';
import type { Pass } from './pass';
import type { Working } from './working';
import { failValidator } from './working';

/** Checks, required and hidden fields, on settled values. */
export function validate(pass: Pass, rec: Working) {
	const { validators } = rec.plan;
	if (!validators.length) return;
	const due = concerning(pass, rec);
	if (!due.length) return;
	pass.env.rec = rec;
	const hidden = new Set<string>();
	const required = new Set<string>();
	for (const k of due) {
		const v = validators[k];
		if (v.kind !== 'hidden') continue;
		const fit = concerns(pass, rec, v) ? inEffect(pass, rec, v) : wouldBe(pass, rec, v);
		if (fit === true) hidden.add(v.field.id);
		report(pass, rec, v, fit === true ? 'in effect' : fit, told(rec, v, fit));
	}
	for (const k of due) {
		const v = validators[k];
		if (v.kind === 'hidden') continue;
		const concerned = concerns(pass, rec, v);
		const fit = concerned ? inEffect(pass, rec, v) : wouldBe(pass, rec, v);
		if (fit !== true) {
			report(pass, rec, v, fit, told(rec, v, fit));
			continue;
		}
		if (v.kind === 'required') {
			if (hidden.has(v.field.id)) continue;
			required.add(v.field.id);
			const missing = isBlank(rec.settled[v.target]);
			report(pass, rec, v, 'in effect');
			if (missing && concerned) say(pass, rec, v);
			continue;
		}
		check(pass, rec, v);
	}
	rec.out.hidden = hidden;
	rec.out.required = required;
}

const ascending = (a: number, b: number) => a - b;

/**
 * Which of the type's checks and states to look at, as positions: those that the change concerns. An open
 * form shows besides what is required and hidden; and a field that must not be blank may be one that is hidden.
 */
function concerning(pass: Pass, rec: Working): number[] {
	const { validators, judges, always, standing } = rec.plan;
	if (rec.submitted.created || pass.options.everyCheck) return validators.map((_, k) => k);
	const due = new Set(always);
	for (let i = 0; i < rec.changed.length; i++)
		if (judges[i].length && (rec.changed[i] || !same(rec.sent[i], rec.was[i])))
			for (const k of judges[i]) if (concerns(pass, rec, validators[k])) due.add(k);
	if (pass.options.states) for (const k of standing) due.add(k);
	else {
		const asked = new Set<string>();
		for (const k of due) if (validators[k].kind === 'required') asked.add(validators[k].field.id);
		if (asked.size)
			for (const k of standing)
				if (validators[k].kind === 'hidden' && asked.has(validators[k].field.id)) due.add(k);
	}
	return [...due].sort(ascending);
}

/** Runs one check and says what it found. */
function check(pass: Pass, rec: Working, v: Validator) {
	let holds: Value = null;
	try {
		holds = v.holds!(pass.env);
	} catch (e) {
		const { pending, message } = failure(e);
		if (!pending) failValidator(rec, v, message);
		return report(pass, rec, v, pending ? 'pending' : 'failed', { message });
	}
	if (holds === false) {
		say(pass, rec, v);
		report(pass, rec, v, 'said', { message: rec.out.messages[rec.out.messages.length - 1].text });
	} else report(pass, rec, v, holds === true ? 'holds' : 'cannot tell');
}

/** The message of a validator at its field. */
function say(pass: Pass, rec: Working, v: Validator) {
	let text = '';
	try {
		text = v.message(pass.env);
	} catch {
		text = `${v.field.label}: “${v.rule.name}” does not hold.`;
	}
	rec.out.messages.push({ field: v.field.id, claim: v.id, text, blocking: v.blocking });
}

/** Whether a change touches what a check reads. */
function concerns(pass: Pass, rec: Working, v: Validator): boolean {
	if (v.always || rec.submitted.created || pass.options.everyCheck) return true;
	for (const i of v.triggers) if (rec.changed[i]) return true;
	for (const i of v.triggersSent) if (!same(rec.sent[i], rec.was[i])) return true;
	return false;
}
