/**
 * What running formulas may cost. It is counted in steps and never in time, so that the browser
 * and the server fail on the same claim. A step is some tenth of a microsecond on a small machine:
 * one node of a formula run once, one item looked at, sixteen characters of a text.
 */
import type { Value } from '../value/value';
import { Range, isContext, isList } from '../value/value';

/** Steps that one evaluation of a formula may take: some 50 ms. */
export const EVALUATION_STEPS = 500_000;
/** Steps that a change may take, and what each record it touches adds to that. */
export const CHANGE_STEPS = 10 * EVALUATION_STEPS;
export const RECORD_STEPS = 50_000;
/** What each record found behind a link adds to the steps of an evaluation, once. */
export const RELATED_STEPS = 50;

/** Longest text a formula makes, in UTF-16 units, and longest list. */
export const MAX_TEXT = 1_000_000;
export const MAX_LIST = 100_000;

/** What breaks off an evaluation on purpose, and passes through every function on its way out. */
export class Interrupt extends Error {}

/** A formula took more steps than are allowed, or built too long a value. */
export class LimitError extends Interrupt {
	constructor(what: string) {
		super(what);
		this.name = 'LimitError';
	}
}

/** What is left of the steps. */
export interface Budget {
	steps: number;
}

/** Takes steps. @throws {LimitError} when none are left */
export function take(budget: Budget, steps: number) {
	if ((budget.steps -= steps) < 0) throw new LimitError('This formula takes too many steps.');
}

/** Takes the steps that looking at all of a value costs, whatever stands in it. @throws {LimitError} */
export function takeFor(budget: Budget, v: Value) {
	if (typeof v === 'string') {
		if (v.length > 15) take(budget, v.length >> 4);
	} else if (isList(v)) {
		take(budget, v.length);
		for (const x of v)
			if (typeof x === 'string' || (typeof x === 'object' && x !== null)) takeFor(budget, x);
	} else if (isContext(v)) {
		take(budget, 2 * v.size);
		for (const x of v.values()) takeFor(budget, x);
	} else if (v instanceof Range) {
		takeFor(budget, v.lo);
		takeFor(budget, v.hi);
	}
}

/** The text, when it is not too long to be held. @throws {LimitError} */
export function heldText(text: string): string {
	if (text.length > MAX_TEXT) throw new LimitError(`A text may have ${MAX_TEXT} characters.`);
	return text;
}

/** Sees that a list is not too long to be held. @throws {LimitError} */
export function heldList<T>(list: T[]): T[] {
	if (list.length > MAX_LIST) throw new LimitError(`A list may have ${MAX_LIST} items.`);
	return list;
}
