/** Looks at the claims on one field two by two, off the main thread. */
import type { Between, Model, RuleSet } from '../core';
import { Schema, betweenClaims, compilePlan } from '../core';
import { zones } from '../runtime/zones';

export interface BetweenJob {
	job: number;
	model: Model;
	/** With the rules of the field alone. */
	set: RuleSet;
	type: string;
	field: string;
}
export interface BetweenAnswer {
	job: number;
	/** Null when looking failed. */
	pairs: Between[] | null;
}

/** Looks at each pair of claims on a field. */
export function between(data: BetweenJob): BetweenAnswer {
	let pairs: Between[] | null = null;
	try {
		const plan = compilePlan(new Schema(data.model), data.set);
		pairs = betweenClaims(plan, data.type, data.field, zones);
	} catch (e) {
		console.error(e);
	}
	return { job: data.job, pairs };
}
