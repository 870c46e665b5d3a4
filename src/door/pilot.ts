/** What is asked about a pilot: started, widened, ended, or looked at first. */
import * as yup from 'yup';
import { ENTRY_POINTS, type PilotChoice } from '../core';
import { check } from './check';
import { formula, id, list, only, text, word } from './parts';

/** Most record types and accounts that a pilot names. */
const MOST_NAMED = 200;

/** Which records are meant, as it is asked. */
const choice = () =>
	only({
		chosen: list(only({ type: id(), condition: formula().required() }), MOST_NAMED),
		brought: only({
			accounts: list(text(20), MOST_NAMED, 1).nullable().defined(),
			roads: list(word(ENTRY_POINTS), ENTRY_POINTS.length, 1).nullable().defined()
		})
			.nullable()
			.defined()
	}).test(
		'some',
		'choice must name some records: a condition on a record type, or whose changes bring them in',
		// what is no list is told by itself, after this
		(v) => !v || !Array.isArray(v.chosen) || v.chosen.length > 0 || v.brought !== null
	);
const number = () => yup.number().strict().required().integer().min(1).max(999_999_999);
const why = () => text(500);

/** A step that is asked for. */
export type PilotStep =
	| { step: 'look'; release: number; choice: PilotChoice }
	| { step: 'start'; release: number; choice: PilotChoice; why: string }
	| { step: 'widen'; pilot: string; version: number; choice: PilotChoice }
	| { step: 'lasting'; pilot: string }
	| { step: 'withdraw' | 'take'; pilot: string; why: string };

const STEPS = {
	look: only({ step: text(20), release: number(), choice: choice() }),
	start: only({ step: text(20), release: number(), choice: choice(), why: why() }),
	widen: only({ step: text(20), pilot: text(20).required(), version: number(), choice: choice() }),
	lasting: only({ step: text(20), pilot: text(20).required() }),
	withdraw: only({ step: text(20), pilot: text(20).required(), why: why() }),
	take: only({ step: text(20), pilot: text(20).required(), why: why() })
};

/** A step of a pilot from outside. @throws {BadInput} naming the place */
export function checkPilotStep(v: unknown): PilotStep {
	const { step } = check<{ step: keyof typeof STEPS }>(
		yup.object({ step: word(Object.keys(STEPS) as (keyof typeof STEPS)[]) }),
		v
	);
	return check<PilotStep>(STEPS[step], v);
}
