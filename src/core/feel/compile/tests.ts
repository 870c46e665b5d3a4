/** Tests of a value, as they stand in cells and behind `in`. */
import type { Test, Tests } from '../../document/tree';
import { isList } from '../../value/value';
import { takeFor } from '../budget';
import { isDeep, takeForBoth, cmp, within, isOneOf } from '../operators';
import type { Run } from '../env';
import type { Ty } from '../types';
import type { Scope } from './scope';
import { NOTHING, mentions } from './scope';
import * as T from '../types';
import { canCompare } from './operations';

/** Tests of one value: any of them, or none of them. */
export function tests(s: Scope, tests: Tests, input: Ty, value: Run): { tests: Tests; run: Run } {
	const parts = tests.tests.map((t) => test(s, t, input, value));
	const runs = parts.map((p) => p.run);
	const any: Run = (env) => {
		let unknown = false;
		for (const r of runs) {
			const v = r(env);
			if (v === true) return true;
			if (v !== false) unknown = true;
		}
		return unknown ? null : false;
	};
	const run: Run = tests.not
		? (env) => {
				const v = any(env);
				return v === null ? null : !v;
			}
		: runs.length === 1
			? runs[0]
			: any;
	return { tests: { not: tests.not, tests: parts.map((p) => p.test) }, run };
}

function test(s: Scope, t: Test, input: Ty, value: Run): { test: Test; run: Run } {
	if (t.k === 'any') return { test: t, run: () => true };
	const want = input.t === 'list' ? input.of : input;
	if (t.k === 'cmp') {
		const e = s.expr(t.e, want);
		if (!canCompare(s, t.e, t.op, input, e.ty)) return { test: { ...t, e: e.expr }, run: NOTHING };
		const run: Run = (env) => {
			const [v, w] = [value(env), e.run(env)];
			if (isDeep(v) && isDeep(w)) takeForBoth(env, v, w);
			return cmp(t.op, v, w);
		};
		return { test: { ...t, e: e.expr }, run };
	}
	const outer = s.o;
	const usesInput = mentions(t.e, '?');
	if (usesInput) s.o = { ...outer, input };
	const e = s.expr(t.e, want);
	s.o = outer;
	const test: Test = { k: 'is', e: e.expr };
	if (usesInput) {
		const run: Run = (env) => {
			const kept = env.input;
			env.input = value(env);
			const v = e.run(env);
			env.input = kept;
			return v;
		};
		return { test, run };
	}
	if (e.ty.t === 'range') {
		if (input.t !== 'any' && input.t !== 'null' && !T.fits(e.ty.of, input))
			canCompare(s, t.e, '<', input, e.ty.of);
		return { test, run: (env) => within(value(env), e.run(env)) };
	}
	if (e.ty.t !== 'list') {
		if (input.t === 'list' ? !T.fits(e.ty, input.of) : !T.fits(e.ty, input) && e.ty.t !== 'boolean')
			canCompare(s, t.e, '=', input, e.ty);
	}
	const run: Run = (env) => {
		const [v, w] = [value(env), e.run(env)];
		if (isList(w)) {
			// each of one is held against each of the other
			for (let n = isList(v) ? v.length : 1; n > 0; n--) takeFor(env, w);
			for (let n = isDeep(v) ? w.length : 0; n > 0; n--) takeFor(env, v);
		}
		return isOneOf(v, w);
	};
	return { test, run };
}
