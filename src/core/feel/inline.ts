/** Definitions put in the place of their uses, for those who read trees rather than run them. */
import type { Schema } from '../document/model';
import type { Expr, Test } from '../document/tree';
import { walk } from '../document/walk';
import { compileDefinition } from './compile';

/** How deep definitions that use definitions are followed. */
const DEEPEST = 10;

/**
 * The tree with the body of each definition in the place of its use, its parameters replaced by what is
 * handed in. A use stays as it is where the definition has a fault, or where a name would come to mean
 * something else.
 */
export function inlined(e: Expr, schema: Schema, depth = DEEPEST): Expr {
	if (!schema.definitions.size) return e;
	return mapped(e, (x) => {
		if (x.k !== 'use' || depth === 0) return null;
		const d = schema.definitions.get(x.definition);
		const body = d && compileDefinition(d, schema);
		if (!body || body.faults.length || x.args.length !== d.params.length) return null;
		const args = new Map(
			d.params.map((p, i) => [p.name, inlined(x.args[i], schema, depth)] as const)
		);
		const bound = namesBoundIn(body.expr);
		const free = [...args.values()].some(speaksOfNames);
		if ([...args.keys()].some((p) => bound.has(p)) || (free && bound.size)) return null;
		const put = mapped(body.expr, (y) => (y.k === 'var' ? (args.get(y.name) ?? null) : null));
		return inlined(put, schema, depth - 1);
	});
}

/** Visits every node of every tree in a document as {@link walk} does, through definitions as if they stood there. */
export function walkInlined(
	doc: unknown,
	schema: Schema,
	visit: (node: Expr | Test) => unknown
): void {
	walk(doc, function go(node): unknown {
		const body = node.k === 'use' ? inlined(node, schema) : node;
		if (body === node) return visit(node);
		walk(body, go);
		return false;
	});
}

/** A tree in which nodes are replaced: null leaves one, and goes on within it. The same one where nothing was. */
export function mapped<T>(doc: T, replace: (e: Expr) => Expr | null): T {
	if (typeof doc !== 'object' || doc === null) return doc;
	if ('k' in doc && typeof doc.k === 'string') {
		const other = replace(doc as unknown as Expr);
		if (other) return other as unknown as T;
	}
	if (Array.isArray(doc)) {
		const next = doc.map((x: unknown) => mapped(x, replace));
		return (next.every((x, i) => x === doc[i]) ? doc : next) as T;
	}
	let changed = false;
	const entries = Object.entries(doc).map(([key, x]: [string, unknown]) => {
		const next = key === 'at' ? x : mapped(x, replace);
		if (next !== x) changed = true;
		return [key, next] as const;
	});
	return changed ? (Object.fromEntries(entries) as T) : doc;
}

/** Names that a tree gives within itself; an item of a list goes by names that nobody writes. */
function namesBoundIn(e: Expr): Set<string> {
	const names = new Set<string>();
	walk(e, (x) => {
		if (x.k === 'for' || x.k === 'some' || x.k === 'every') x.its.forEach((i) => names.add(i.name));
		if (x.k === 'fn') x.params.forEach((p) => names.add(p));
		if (x.k === 'context') x.entries.forEach((n) => names.add(n.key));
		if (x.k === 'filter') names.add('item');
	});
	return names;
}

/** Whether a tree speaks of a name that something around it gives. */
function speaksOfNames(e: Expr): boolean {
	let speaks = false;
	walk(e, (x) => {
		if (x.k === 'var') speaks = true;
		return !speaks;
	});
	return speaks;
}
