/** The bodies of rules, one schema for each kind. */
import * as yup from 'yup';
import type { Body } from '../core';
import {
	FIELD_STATES,
	HIT_POLICIES,
	MATCH_HOWS,
	MAX_DECISION_INPUTS,
	MAX_DECISION_ROWS,
	ONCE_PER,
	isKeptName
} from '../core';
import {
	blank,
	cell,
	flag,
	formula,
	formulaOrNull,
	id,
	jsons,
	list,
	only,
	optionIds,
	template,
	text,
	word
} from './parts';

/** Option to something, by the option's identity; no option is called as something that every object has. */
const byOption = (of: () => yup.ISchema<unknown>) =>
	yup.lazy((rows: object) => {
		const keys = Object.keys(rows ?? {});
		const row = of();
		return yup
			.object(Object.fromEntries(keys.slice(0, 2000).map((k) => [k, row])))
			.required()
			.test(
				'options',
				'${path} may name at most 2000 options, and none by a name that every object has',
				() => keys.length <= 2000 && !keys.some(isKeptName)
			);
	});

const blanks = () =>
	yup
		.mixed()
		.test(
			'blanks',
			'${path} must be "no result", "leave out" or {"write": …}',
			(b) =>
				b === 'no result' ||
				b === 'leave out' ||
				(typeof b === 'object' &&
					b !== null &&
					'write' in b &&
					typeof b.write === 'string' &&
					b.write.length <= 200)
		);

/** What a case gives: a formula, or a word. */
const gives = () =>
	yup
		.mixed()
		.test(
			'gives',
			'${path} must be a formula, "nothing", "leave" or "clear"',
			(g) => g === 'nothing' || g === 'leave' || g === 'clear' || formula().isValidSync(g)
		);

/** What each kind has beside its `kind`. */
const BODIES: Record<Body['kind'], () => yup.ObjectShape> = {
	formula: () => ({ formulas: list(formula(), 50), blank: blank(true) }),
	bands: () => ({
		input: formula(),
		limits: list(only({ at: text(60), belongs: word(['above', 'below']) }), 500),
		results: list(jsons().nullable(), 501),
		blank: blank()
	}),
	options: () => ({
		input: text(60),
		rows: byOption(() => jsons().required()),
		blank: blank(),
		nothing: optionIds().optional()
	}),
	check: () => ({ holds: formula(), message: template(), blocking: flag(), always: flag() }),
	state: () => ({ state: word(FIELD_STATES), options: optionIds().required(), always: flag() }),
	allowed: () => ({ input: text(60), rows: byOption(() => optionIds().required()) }),
	compose: () => ({ texts: list(template(), 50), blanks: blanks() }),
	split: () => ({
		input: formula(),
		at: word(['first', 'last', 'each']),
		separator: text(20),
		alone: yup.number().strict().integer().required().min(0).max(49)
	}),
	cases: () => ({
		rows: list(only({ id: id(), when: formula(), then: list(gives(), 50) }), 200, 0),
		otherwise: list(gives(), 50)
	}),
	table: () => ({
		hit: word(HIT_POLICIES),
		inputs: list(formula(), MAX_DECISION_INPUTS),
		rows: list(
			only({
				id: id(),
				when: list(cell(), MAX_DECISION_INPUTS),
				then: list(formulaOrNull(), 50),
				note: yup.string().strict().max(1000)
			}),
			MAX_DECISION_ROWS
		),
		priority: yup.array().strict().max(50).of(jsons().nullable())
	}),
	lookup: () => ({
		table: text(60),
		keys: list(formula(), 20),
		columns: list(text(60), 50),
		several: word(['no result', 'first'])
	}),
	match: () => ({
		type: text(60),
		on: list(only({ field: text(60), how: word(MATCH_HOWS), value: formula() }), 20),
		several: word(['no result', 'leave', 'clear', 'first'])
	}),
	message: () => ({
		each: only({ type: text(60), field: text(60) })
			.nullable()
			.defined(),
		filter: formulaOrNull(),
		to: formula(),
		subject: template(),
		text: template(),
		once: word(ONCE_PER)
	})
};
const KINDS = Object.keys(BODIES) as Body['kind'][];

/** The body of a rule, by its kind. */
export const body = yup.lazy((v: { kind?: string } | undefined) => {
	const kind = KINDS.find((k) => k === v?.kind);
	return kind
		? only({ kind: yup.string().required(), ...BODIES[kind]() })
		: yup.object({ kind: word(KINDS) }).required();
});
