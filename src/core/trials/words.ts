/** What a trial speaks of, and what it expects in words. */
import type { JsonValue } from '../document/json';
import { sayPlain, type SayValue } from '../conditions/words';
import type { Schema } from '../document/model';
import type { Expectation, Trial, TrialLine, TrialStep } from './trials';

/** A value of a field that a trial names; undefined where it names the field alone. */
export interface Named {
	type: string;
	field: string;
	value: JsonValue | undefined;
	/** Part of the sample, sent, expected, or expected not to be. */
	as: 'stored' | 'sent' | 'expected' | 'not';
}

/** The changes of a trial, in order. */
export const stepsOf = (t: Trial): TrialStep[] => [t, ...(t.then ?? [])];

/** Every field that a trial names, with its value. */
export function namedIn(t: Trial): Named[] {
	const stored = (type: string, values: Record<string, JsonValue>) =>
		Object.entries(values).map(([field, value]): Named => ({ type, field, value, as: 'stored' }));
	const changes = [...stepsOf(t), ...(t.rows ?? [])];
	return [
		...stored(t.type, t.was ?? {}),
		...(t.near ?? []).flatMap((r) => stored(r.type, r.values)),
		...changes.flatMap((c) =>
			c.sent.map(([field, value]): Named => ({ type: t.type, field, value, as: 'sent' }))
		),
		...changes.flatMap((c) => c.expect.flatMap((x) => namedBy(t.type, x)))
	];
}

function namedBy(own: string, x: Expectation): Named[] {
	if (!('field' in x) || x.field === undefined) return [];
	const type = 'at' in x && x.at ? x.at.type : own;
	if ('value' in x)
		return [{ type, field: x.field, value: x.value, as: x.not ? 'not' : 'expected' }];
	if ('option' in x)
		return [{ type, field: x.field, value: x.option, as: x.offered ? 'expected' : 'not' }];
	return [{ type, field: x.field, value: undefined, as: 'expected' }];
}

/** What words are made with. */
export interface TrialWords {
	schema: Schema;
	/** A value in people's words; blank too. */
	say: SayValue;
	/** The name of a rule. */
	rule(id: string): string;
}

const STATES = { required: 'required', hidden: 'hidden', 'read-only': 'set by rules only' };
const isOrNot = (is: boolean) => (is ? 'is' : 'is not');

/** Words without any locale, for a rule set. */
export const plainWords = (
	schema: Schema,
	rules: readonly { id: string; name: string }[]
): TrialWords => ({
	schema,
	say: (f, v) => sayPlain(f, v, schema),
	rule: (id) => rules.find((r) => r.id === id)?.name ?? id
});

/** What is expected, in words: `Size class is Small`. */
export function sayExpectation(type: string, x: Expectation, w: TrialWords): string {
	const label = (id: string, of = type) => w.schema.field(of, id)?.label ?? id;
	const value = (id: string, v: JsonValue, of = type) => {
		const f = w.schema.field(of, id);
		return f ? w.say(f, v) : String(v);
	};
	const words = (text: string | undefined) => (text ? `, saying “${text}”` : '');
	if ('value' in x) {
		const of = x.at?.type ?? type;
		const whose = x.at ? ` of ${w.schema.types.get(of)?.type.label ?? of} ${x.at.id}` : '';
		return `${label(x.field, of)}${whose} ${isOrNot(!x.not)} ${value(x.field, x.value, of)}`;
	}
	if ('stays' in x) return `${label(x.field)} stays as it is`;
	if ('rule' in x) return `“${w.rule(x.rule)}” ${x.writes ? 'writes' : 'writes nothing'}`;
	if ('refused' in x) {
		const at = x.field === undefined ? '' : ` at ${label(x.field)}`;
		return x.refused ? `refused${at}${words(x.text)}` : `not refused${at}${words(x.text)}`;
	}
	if ('advised' in x)
		return `${x.advised ? 'advice' : 'no advice'} at ${label(x.field)}${words(x.text)}`;
	if ('state' in x) return `${label(x.field)} ${isOrNot(x.is)} ${STATES[x.state]}`;
	if ('option' in x)
		return `${value(x.field, x.option)} ${x.offered ? 'can' : 'cannot'} be chosen in ${label(x.field)}`;
	const to = x.to ? ` to ${x.to}` : '';
	const about = x.subject ? ` about “${x.subject}”` : '';
	if (!x.messages) return `no message leaves${to}${about}`;
	return `${x.messages} ${x.messages === 1 ? 'message leaves' : 'messages leave'}${to}${about}`;
}

/** What came instead, in words, of an expectation that did not hold. */
export function sayGot(
	type: string,
	line: TrialLine | Omit<TrialLine, 'reports'>,
	w: TrialWords
): string {
	const { expected: x, got, said = [] } = line;
	const told = said.length ? `: ${said.map((t) => `“${t}”`).join(', ')}` : '';
	if ('value' in x || 'stays' in x) {
		const of = 'value' in x ? (x.at?.type ?? type) : type;
		const f = w.schema.field(of, x.field);
		const v = got as JsonValue;
		return `${f?.label ?? x.field} is ${f ? w.say(f, v) : String(v)}`;
	}
	if ('rule' in x) return got ? 'it wrote' : 'it wrote nothing';
	if ('refused' in x) return got ? `it was refused${told}` : 'it was saved';
	if ('advised' in x) return got ? `it was advised${told}` : 'nothing was advised';
	if ('state' in x) return `it ${isOrNot(Boolean(got))} ${STATES[x.state]}`;
	if ('option' in x) return got ? 'it can be chosen' : 'it cannot be chosen';
	const n = Number(got);
	return n
		? `${n} ${n === 1 ? 'left' : 'of them left'}${told}`
		: said.length
			? `other messages left${told}`
			: 'none left';
}

/** What came, as an expectation of the same kind. */
function asCame({ expected: x, got, said }: Omit<TrialLine, 'reports'>): Expectation {
	if ('value' in x) {
		const { not: _not, ...plain } = x;
		return { ...plain, value: got as JsonValue };
	}
	if ('stays' in x) return { field: x.field, value: got as JsonValue };
	if ('rule' in x) return { ...x, writes: Boolean(got) };
	if ('refused' in x)
		return got ? { refused: true, ...(said?.[0] ? { text: said[0] } : {}) } : { refused: false };
	if ('advised' in x)
		return { field: x.field, advised: Boolean(got), ...(said?.[0] ? { text: said[0] } : {}) };
	if ('state' in x) return { ...x, is: Boolean(got) };
	if ('option' in x) return { ...x, offered: Boolean(got) };
	return { ...x, messages: Number(got) };
}

/** What came of a change, in words, whether it was expected or not. */
export const sayCame = (type: string, line: Omit<TrialLine, 'reports'>, w: TrialWords): string =>
	sayExpectation(type, asCame(line), w);

/**
 * The trial with what came in the place of what did not hold: the rules are right. What all rows expected
 * and not all met is expected of each by itself.
 * @param lines of the very trial, as it was run
 */
export function expectingWhatCame(
	trial: Trial,
	lines: readonly Omit<TrialLine, 'reports'>[]
): Trial {
	const at = (step: number, row?: number) => lines.filter((l) => l.step === step && l.row === row);
	const came = (l: Omit<TrialLine, 'reports'>) => (l.held ? l.expected : asCame(l));
	const last = trial.then?.length ?? 0;
	let shared: Expectation[] | null = null;
	let rows = trial.rows;
	if (rows?.length) {
		const own = stepsOf(trial)[last].expect;
		const split = own.map((_, i) => rows!.some((_r, k) => !at(last, k)[i].held));
		shared = own.filter((_, i) => !split[i]);
		rows = rows.map((r, k) => {
			const mine = at(last, k);
			const told = mine.flatMap((l, i) => (i >= own.length || split[i] ? [came(l)] : []));
			return { ...r, expect: told };
		});
	}
	const expectOf = (step: number) => (step === last && shared ? shared : at(step).map(came));
	return {
		...trial,
		expect: expectOf(0),
		...(trial.then ? { then: trial.then.map((s, i) => ({ ...s, expect: expectOf(i + 1) })) } : {}),
		...(rows ? { rows } : {})
	};
}
