/** One formula for each output. */
import type { Formula } from '../document/rules';
import type { Expr } from '../document/tree';
import { typeOfField } from '../feel/types';
import type { BodyOf, Writes } from './spec';
import { none } from './spec';
import { computedFrom } from './words';

const squeezed = (f: Formula): Formula =>
	'expr' in f
		? { expr: { k: 'call', fn: 'squeeze', args: [f.expr] } }
		: { text: `squeeze(${f.text})` };

/** The conditions of `if … then … else if …`, in order. */
function conditionsOf(e: Expr): Expr[] {
	return e.k === 'if' ? [e.c, ...conditionsOf(e.e)] : [];
}

export const formula: Writes<BodyOf<'formula'>> = {
	does: 'writes',
	offers: () => {
		const make = (): BodyOf<'formula'> => ({ kind: 'formula', formulas: [{ text: '' }] });
		return [
			{
				verb: 'derive',
				label: 'Derive',
				help: 'by a formula over other fields',
				name: 'by formula',
				make
			},
			{ verb: 'default', label: 'Default', help: 'a value for new records', name: 'default', make }
		];
	},
	map: (b, on) => ({
		...b,
		formulas: b.formulas.map((f, i) => on.formula(f, `formula ${i}`, { output: i }))
	}),
	source: () => null,
	constants: none,
	tables: none,
	repairs: {
		squeeze: (b, r) => ({
			...b,
			formulas: b.formulas.map((f, i) => (i === r.formula ? squeezed(f) : f))
		})
	},
	compile: (b, c) => (i, field) => {
		const f = c.formula(b.formulas[i], `formula ${i}`, typeOfField(field));
		if (!f) return null;
		return {
			...f,
			chooses: conditionsOf(f.expr),
			run: (env) => {
				const value = f.run(env);
				return value === null ? { got: false, why: 'null' } : { got: true, value };
			}
		};
	},
	place: (i) => `formula ${i}`,
	outputs: () => 'any',
	withoutOutput: (b, i) => ({ ...b, formulas: b.formulas.filter((_, k) => k !== i) }),
	unsteady: () => null,
	finds: none,
	because: (_, t) => computedFrom(t),
	results: () => null,
	decides: (b, i, look) => {
		const e = look.expr(b.formulas[i]);
		return e && { values: [e], read: [] };
	},
	givesNothing: () => 'try',
	flaws: none,
	doubts: none
};
