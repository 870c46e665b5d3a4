/**
 * The functions of FEEL (DMN 1.5, chapter 10.3.4) and those of our own, marked `ours`, by chapter.
 * Each gives null where the standard does: on blank or unfitting arguments.
 */
import { CONVERSION_CHAPTER } from './conversion';
import { LOGIC_CHAPTER } from './logic';
import { TEXTS_CHAPTER } from './texts';
import { NUMBERS_CHAPTER } from './numbers';
import { LISTS_CHAPTER } from './lists';
import { CONTEXTS_CHAPTER } from './contexts';
import { DATES_CHAPTER } from './dates';
import { IDENTIFIERS_CHAPTER } from './identifiers';
import { RANGES_CHAPTER } from './ranges';
import type { FnDef } from './spec';

/** Functions that the compiler knows itself, since they speak of fields and options, not of values. */
export const SPECIAL: { name: string; params: string[]; help: string; example: string }[] = [
	{
		name: 'changed',
		params: ['field'],
		help: 'Whether this change gives the field another value.',
		example: 'changed(stage)'
	},
	{
		name: 'moved',
		params: ['field', 'from', 'to'],
		help: 'Whether the field went from one value to another.',
		example: 'moved(stage, "Offer", "Won")'
	},
	{
		name: 'moved forward',
		params: ['choice'],
		help: 'Whether the choice went to an option further down its list.',
		example: 'moved forward(stage)'
	},
	{
		name: 'moved back',
		params: ['choice'],
		help: 'Whether the choice went to an option further up its list.',
		example: 'moved back(stage)'
	},
	{
		name: 'position',
		params: ['choice'],
		help: 'The place of the option in its list, from 1.',
		example: 'position(stage) > 3'
	},
	{
		name: 'record',
		params: ['type', 'number'],
		help: 'A certain record, by its type and number.',
		example: 'record("Customer", 12)'
	},
	{ name: 'label', params: ['choice'], help: 'The label of the option.', example: 'label(kind)' },
	{
		name: 'code',
		params: ['choice'],
		help: 'The code by which other systems know the option, such as that of ISO 3166.',
		example: 'code(country)'
	}
];

/** All functions by name, each with the ways it can be called. */
export const FUNCTIONS: ReadonlyMap<string, FnDef[]> = (() => {
	const out = new Map<string, FnDef[]>();
	for (const d of [
		...CONVERSION_CHAPTER,
		...LOGIC_CHAPTER,
		...TEXTS_CHAPTER,
		...NUMBERS_CHAPTER,
		...LISTS_CHAPTER,
		...CONTEXTS_CHAPTER,
		...DATES_CHAPTER,
		...IDENTIFIERS_CHAPTER,
		...RANGES_CHAPTER
	])
		out.set(d.name, [...(out.get(d.name) ?? []), d]);
	return out;
})();

/** Every name that may stand before brackets. */
export const FUNCTION_NAMES: readonly string[] = [
	...FUNCTIONS.keys(),
	...SPECIAL.map((s) => s.name)
];
