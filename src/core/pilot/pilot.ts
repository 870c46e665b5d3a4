/**
 * A pilot: one release decides the records that belong to it, another all the rest. Which records come to belong to it
 * is decided here, the same on every road.
 */
import type { Schema } from '../document/model';
import type { EntryPoint } from '../document/rules';
import type { Run } from '../feel/env';
import type { Joins } from '../plan/plan';
import { compileSelection, type Selection } from '../select/select';

/** Which records belong to a pilot. */
export interface PilotChoice {
	/** Those that meet a condition: when it starts or is widened, and new ones by what is sent for them. */
	chosen: readonly Selection[];
	/** Those that some accounts submit by some roads from now on; null for any account, or any road. */
	brought: { accounts: readonly string[] | null; roads: readonly EntryPoint[] | null } | null;
}

/** A choice that was compiled. */
export interface CompiledChoice {
	joins: Joins;
	/** What is wrong with conditions, each with the record type it is about. */
	problems: readonly { type: string; message: string }[];
}

/** Compiles what chooses the records of a pilot. */
export function compileChoice(schema: Schema, { chosen, brought }: PilotChoice): CompiledChoice {
	const created = new Map<string, Run>();
	const named = new Set<string>();
	const problems: { type: string; message: string }[] = [];
	for (const selection of chosen) {
		const { type } = selection;
		if (!schema.types.has(type)) {
			problems.push({ type, message: `There is no record type “${type}”.` });
			continue;
		}
		if (named.has(type)) {
			const message = `There are two conditions for ${schema.type(type).type.plural}; one is enough.`;
			problems.push({ type, message });
			continue;
		}
		const { selector, problems: wrong } = compileSelection(schema, selection);
		problems.push(...wrong.map(({ message }) => ({ type, message })));
		if (selector.events.length)
			problems.push({
				type,
				message:
					'A record belongs to a pilot by what it holds, not by what happened to it: ask of no field what it was before, or whether it changed.'
			});
		const guard = selector.plan.types.get(type)?.validators[0]?.guard;
		if (guard) created.set(type, guard);
		named.add(type);
	}
	const set = <X>(list: readonly X[] | null) => list && new Set(list);
	return {
		joins: {
			created,
			brought: brought && { accounts: set(brought.accounts), roads: set(brought.roads) }
		},
		problems
	};
}
