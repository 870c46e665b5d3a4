/** The one walk over trees, wherever they lie in a document. */
import type { Expr, Test } from './tree';

/**
 * Visits every node of every tree in a document, outer before inner.
 * @param visit gives `false` where it need not be gone deeper
 */
export function walk(doc: unknown, visit: (node: Expr | Test) => unknown): void {
	if (typeof doc !== 'object' || doc === null) return;
	if ('k' in doc && typeof doc.k === 'string' && visit(doc as Expr | Test) === false) return;
	for (const part of Object.values(doc)) walk(part, visit);
}
