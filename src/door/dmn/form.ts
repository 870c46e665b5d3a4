import type { HitPolicy } from '../../core';

/** The hit policies by the names that the exchange format gives them. */
export const HIT_NAMES: Record<HitPolicy, [policy: string, aggregation?: string]> = {
	U: ['UNIQUE'],
	A: ['ANY'],
	P: ['PRIORITY'],
	F: ['FIRST'],
	R: ['RULE ORDER'],
	O: ['OUTPUT ORDER'],
	C: ['COLLECT'],
	'C+': ['COLLECT', 'SUM'],
	'C<': ['COLLECT', 'MIN'],
	'C>': ['COLLECT', 'MAX'],
	'C#': ['COLLECT', 'COUNT']
};
