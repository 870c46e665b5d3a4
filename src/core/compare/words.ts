/** A rule in words, part by part, and what differs between two versions of it. */
import type { JsonValue } from '../document/json';
import type { Field, Schema } from '../document/model';
import type { Formula, Rule } from '../document/rules';
import { ENTRY_LABEL, HOLD_VERB } from '../document/rules';
import { sayCondition, sayGiven, type SayValue } from '../conditions/words';
import { printTests } from '../feel/print';
import { readFormula } from '../feel/read-formula';
import { printTemplate } from '../feel/template';
import { kindOf } from '../kinds';
import type { SaidPart, Saying } from '../kinds/spec';

/** A part that two versions of a rule say otherwise; null where one does not have it. */
export interface Difference {
	label: string;
	before: string | null;
	after: string | null;
}

const VERBS: Record<Rule['kind'], string> = {
	default: 'Default',
	derive: 'Derive',
	categorize: 'Categorize',
	map: 'Map',
	validate: 'Validate'
};
const MOMENTS = { created: 'new records', changed: 'existing records', request: 'on request' };
const NONE = { next: 'the next rule, if any', leave: 'leaves it', clear: 'clears it' };

/** Everything a rule says, part by part: what it reacts to, when it applies, what it writes, and how. */
export function sayRule(rule: Rule, schema: Schema, say: SayValue): SaidPart[] {
	const label = (id: string) => schema.field(rule.type, id)?.label ?? id;
	const setOffAt = (rule.each && schema.field(rule.type, rule.each)?.target) || rule.type;
	const watched = (id: string) => schema.field(setOffAt, id)?.label ?? id;
	const outputs = rule.outputs.map((o) => schema.field(rule.type, o.field));
	const read = (f: Formula, type: string) => readFormula(f, { schema, type });
	const saying: Saying = {
		schema,
		rule,
		outputs,
		label: (id) => (id ? label(id) : '…'),
		gives(f, field, type = rule.type) {
			if (!f) return '…';
			const r = read(f, type);
			const like: Pick<Field, 'type'> = field ?? { type: 'text' };
			return r.compiled ? sayGiven(r.compiled.expr, like, schema, say) : r.text || '…';
		},
		condition(f, type = rule.type) {
			const r = read(f, type);
			return r.compiled ? sayCondition(r.compiled.expr, schema, say) : r.text || '…';
		},
		text: (t) => (t ? printTemplate(t, schema) : '…'),
		cell: (c) => (!c ? '' : 'text' in c ? c.text : printTests(c.tests, schema).text),
		value(v: JsonValue | undefined, field) {
			if (v === undefined || v === null) return 'blank';
			// one option of a set
			const one = field?.type === 'choices' && typeof v === 'string';
			return field ? say(one ? { ...field, type: 'choice' } : field, v) : String(v);
		},
		values: (vs) => (vs ?? []).map((v, i) => saying.value(v, outputs[i])).join(' · ') || '…'
	};
	const part = (key: string, name: string, text: string): SaidPart => ({ key, label: name, text });
	return [
		part('name', 'Name', rule.name),
		part('why', 'Why', rule.why || '–'),
		part('kind', 'Kind', VERBS[rule.kind]),
		...(rule.off ? [part('off', 'Switched', 'off')] : []),
		...(rule.each ? [part('set off', 'Set off at', label(rule.each))] : []),
		...(rule.watch
			? [part('watch', 'When these change', rule.watch.map(watched).join(', ') || 'none')]
			: []),
		...(rule.guard
			? [
					part(
						'guard',
						rule.entering ? 'When it comes to hold that' : 'If',
						saying.condition(rule.guard, setOffAt)
					)
				]
			: []),
		part('moments', 'Applies to', rule.moments.map((m) => MOMENTS[m]).join(', ') || 'nothing'),
		part(
			'entry points',
			'By',
			rule.entryPoints
				? rule.entryPoints.map((e) => ENTRY_LABEL[e]).join(', ') || 'no entry point'
				: 'any entry point'
		),
		...(rule.submittedOnly ? [part('submitted', 'Only', 'records that somebody submits')] : []),
		...(rule.refuses === undefined
			? []
			: [
					part(
						'fails',
						'Should it fail',
						rule.refuses ? 'the change is refused' : 'history says so'
					)
				]),
		...(kindOf(rule.body).does === 'writes'
			? rule.outputs.map((o) =>
					part(
						`output ${o.id}`,
						label(o.field),
						[
							o.adds ? 'gains' : HOLD_VERB[o.hold],
							...(o.closed ? ['only rules set it'] : []),
							`without a result: ${NONE[o.none]}`
						].join('; ')
					)
				)
			: rule.outputs.map((o) => part(`output ${o.id}`, 'At the field', label(o.field)))),
		...kindOf(rule.body).said(rule.body, saying)
	];
}

/** What differs between two versions of a rule, in words; parts in the order of the later one. */
export function differences(
	before: Rule | null,
	after: Rule | null,
	schema: Schema,
	say: SayValue
): Difference[] {
	const [a, b] = [before, after].map((r) => (r ? sayRule(r, schema, say) : []));
	const had = new Map(a.map((p) => [p.key, p]));
	const out: Difference[] = [];
	for (const p of b) {
		const old = had.get(p.key);
		had.delete(p.key);
		if (!old) out.push({ label: p.label, before: null, after: p.text });
		else if (old.text !== p.text || old.label !== p.label)
			out.push(
				old.label === p.label
					? { label: p.label, before: old.text, after: p.text }
					: {
							label: partOf(p.key) ?? p.label,
							before: `${old.label}: ${old.text}`,
							after: `${p.label}: ${p.text}`
						}
			);
	}
	for (const p of had.values()) out.push({ label: p.label, before: p.text, after: null });
	return out;
}

/** What a part is called whose own label differs too. */
function partOf(key: string): string | null {
	const [what, which] = key.split(' ');
	const names: Record<string, string> = {
		band: 'Band',
		case: 'Case',
		row: 'Row',
		guard: 'Condition'
	};
	const name = names[what];
	if (!name) return null;
	return what === 'band' ? `${name} ${Number(which) + 1}` : name;
}
