/** What compiling a formula keeps on its way: names in sight, what is read, faults, and the steps it takes. */
import { walk as walkTree } from '../../document/walk';
import type { Definition, FieldRef, Schema } from '../../document/model';
import type { Expr, Fault, Image, Span } from '../../document/tree';
import type { Run, Read, Outside, Compiled, CompileOptions, Part } from '../env';
import type { Ty } from '../types';
import * as T from '../types';

/** How an expression comes to the records it gives. */
export type Way = Pick<Read, 'via' | 'many' | 'param' | 'loose'>;

/** What a faulty formula gives. */
export const NOTHING: Run = () => null;
/** Deepest calls of functions within functions. */
export const MAX_CALLS = 100;

/** The walk over a tree: it leads from every part to the parts within. */
export interface Walk {
	expr(s: Scope, e: Expr, expected?: Ty): Part;
	definition(d: Definition, schema: Schema, before?: boolean): Compiled;
}

/** Where a formula is compiled; one for each, so that what it reads and takes is its own. */
export class Scope {
	readonly faults: Fault[] = [];
	readonly reads: Read[] = [];
	readonly outside = new Set<Outside>();
	readonly events: FieldRef[] = [];
	/** Steps of all nodes compiled so far: what one run of each takes. */
	size = 0;
	readonly known = new WeakMap<Expr, readonly Way[]>();
	slots: { name: string; ty: Ty; ways?: readonly Way[] }[];
	readonly schema: Schema;

	constructor(
		public o: CompileOptions,
		private readonly walk: Walk
	) {
		this.schema = o.schema;
		this.slots = (o.variables ?? []).map((v, param) =>
			o.params ? { ...v, ways: [{ via: [], many: false, param }] } : v
		);
	}

	result(r: Part): Compiled {
		// what does not fit beside a place that is still open is no fault yet
		const open = this.faults.filter((f) => f.open);
		return {
			...r,
			run: this.faults.length ? NOTHING : r.run,
			reads: this.reads,
			outside: this.outside,
			events: this.events,
			faults: open.length ? open : this.faults,
			size: this.size
		};
	}

	fault(at: Span | undefined, message: string): void {
		this.faults.push({ message, from: at?.from ?? 0, to: at?.to ?? 0 });
	}

	bad(e: Expr, message: string): Part {
		this.fault(e.at, message);
		return this.nothing(e);
	}

	/** A place where something is still to be said. */
	unsaid(e: Expr): Part {
		const { from, to } = e.at ?? { from: 0, to: 0 };
		this.faults.push({ message: 'Something is still to be said here.', from, to, open: true });
		return this.nothing(e);
	}

	private nothing(e: Expr): Part {
		return { expr: e, ty: T.ANY, run: NOTHING };
	}

	say(ty: Ty): string {
		return T.sayType(ty, this.schema);
	}

	/** Checks a result against the type wanted, taking a date for a moment's date where that is exact. */
	wanted(r: Part, want: Ty): Part {
		if (T.fits(r.ty, want)) return r;
		if (want.t === 'list' && T.fits(r.ty, want.of)) {
			// one option where several are wanted is a list of one, as FEEL converts it
			const run = r.run;
			return {
				...r,
				ty: want,
				run: (e) => {
					const v = run(e);
					return v === null ? null : [v];
				}
			};
		}
		const hint =
			want.t === 'moment' && r.ty.t === 'date'
				? ' Use now for the moment of the change, or date and time(…).'
				: want.t === 'date' && r.ty.t === 'moment'
					? ' Use date(…) to take the date of it.'
					: want.t === 'text' && r.ty.t !== 'list'
						? ' Use string(…) to write it as text.'
						: '';
		this.fault(r.expr.at, `This is ${this.say(r.ty)}; ${this.say(want)} is wanted.${hint}`);
		return r;
	}

	image(image: Image): Image {
		return this.o.before && image === 'settled' ? 'was' : image;
	}

	/** Compiles something, and tells the steps that one run of it takes. */
	sized(compile: () => Part): [Part, number] {
		const before = this.size;
		const part = compile();
		return [part, this.size - before];
	}

	expr(e: Expr, expected?: Ty): Part {
		return this.walk.expr(this, e, expected);
	}

	/** Where something is compiled for records of another type, beside this. */
	beside(type: string): Scope {
		return new Scope({ schema: this.schema, type }, this.walk);
	}

	/** A definition, compiled once for a schema. */
	definition(d: Definition): Compiled {
		return this.walk.definition(d, this.schema, this.o.before);
	}
}

/** Whether a variable is named anywhere in a tree. */
export function mentions(e: Expr, name: string): boolean {
	let found = false;
	walkTree(e, (x) => {
		if (x.k === 'var' && x.name === name) found = true;
		return !found;
	});
	return found;
}
