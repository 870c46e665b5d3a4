/**
 * What an editor of formulas asks of the language: to read a text as typed, to print what is stored,
 * the faults of either with their places, and the types on which both stand. Also what a program
 * needs that evaluates one expression by itself.
 */
export { FormulaError, bare, type Fault } from '../document/tree';
export { nameKey, spell } from '../text/names';
export { EVALUATION_STEPS, LimitError } from './budget';
export { compileDefinition, compileExpression, compileTests } from './compile';
export { parseExpression, parseTests } from './parse';
export { mended, type Mended } from './habits';
export { readFormula } from './read-formula';
export { printExpression, printTests } from './print';
export { printTemplate, readTemplate } from './template';
export { isTree } from './tree-check';
export { ANY, BOOLEAN, TEXT, typeOfField, type Ty } from './types';
export {
	complete,
	helpAt,
	tokens,
	type Completion,
	type Completions,
	type Surroundings
} from './complete';
