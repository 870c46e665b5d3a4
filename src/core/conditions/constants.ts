/** Values as people pick them, and the trees that say them. */
import type { JsonValue } from '../document/json';
import type { Field } from '../document/model';
import type { Expr } from '../document/tree';

type Of = Pick<Field, 'type' | 'list' | 'target'>;

/** The tree of a value of a field, as it is stored: options and records by identity. */
export function constantTree(field: Of, value: JsonValue): Expr {
	if (value === null) return { k: 'null' };
	if (Array.isArray(value))
		return { k: 'list', items: value.map((v) => constantTree({ ...field, type: 'choice' }, v)) };
	if (typeof value === 'boolean') return { k: 'bool', v: value };
	const text = String(value);
	switch (field.type) {
		case 'choice':
		case 'choices':
			return { k: 'option', list: field.list!, option: text };
		case 'link':
			return { k: 'record', type: field.target!, id: text };
		case 'date':
		case 'moment':
			return { k: 'at', v: text };
		case 'number':
		case 'money':
		case 'percent':
			return text.startsWith('-')
				? { k: 'neg', a: { k: 'num', v: text.slice(1) } }
				: { k: 'num', v: text };
		default:
			return { k: 'text', v: text };
	}
}

/** The value that a tree says by itself, for a field of that kind; undefined where it computes or fits no such field. */
export function constantOf(e: Expr, field: Of): JsonValue | undefined {
	const numeric = ['number', 'money', 'percent'].includes(field.type);
	switch (e.k) {
		case 'null':
			return null;
		case 'num':
			return numeric ? e.v : undefined;
		case 'neg':
			return numeric && e.a.k === 'num' ? `-${e.a.v}` : undefined;
		case 'bool':
			return field.type === 'yesno' ? e.v : undefined;
		case 'option':
			return e.list === field.list && field.type === 'choice' ? e.option : undefined;
		case 'record':
			return field.type === 'link' && e.type === field.target ? e.id : undefined;
		case 'at':
			return field.type === 'date' && /^\d{4}-\d\d-\d\d$/.test(e.v)
				? e.v
				: field.type === 'moment' && e.v.includes('T')
					? e.v
					: undefined;
		case 'call': {
			const [x] = e.args;
			return field.type === 'date' && e.fn === 'date' && e.args.length === 1 && x.k === 'text'
				? x.v
				: undefined;
		}
		case 'text':
			return ['text', 'email', 'phone'].includes(field.type) ? e.v : undefined;
		case 'list': {
			if (field.type !== 'choices') return undefined;
			const items = e.items.map((i) => constantOf(i, { ...field, type: 'choice' }));
			return items.every((i) => typeof i === 'string') ? items : undefined;
		}
		default:
			return undefined;
	}
}
