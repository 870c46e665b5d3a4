/** What an editor offers while a formula is typed. */
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { demoModel } from '../../../demo/model';
import { demoDraft } from '../../../demo/rules';
import { Schema } from '../document/model';
import { complete, helpAt, tokens } from './complete';

const schema = new Schema(demoModel).with(demoDraft);
const at = (type: string | null, more = {}) => ({ schema, type, ...more });
/** Offered at the bar. */
const offered = (marked: string, type: string | null = 'deal', asked = false) => {
	const pos = marked.indexOf('|');
	const text = marked.replace('|', '');
	const c = complete(text, pos, at(type), asked);
	return (
		c && { typed: text.slice(c.from, pos), labels: c.items.map((i) => i.label), items: c.items }
	);
};

describe('completion', () => {
	it('finds fields by label, with their type and the id whose value stands beside', () => {
		const c = offered('Am|')!;
		expect(c.items[0]).toMatchObject({
			label: 'Amount',
			insert: 'Amount',
			what: 'field',
			field: 'amount'
		});
		expect(c.items[0].detail).toBeTruthy();
	});
	it('goes across links, and writes names with signs in quotes', () => {
		expect(offered('Customer.|')!.labels).toContain('Headcount');
		expect(offered('Customer.Head|')!).toMatchObject({ typed: 'Head', labels: ['Headcount'] });
		expect(offered('was.Am|')!.labels[0]).toBe('Amount');
		for (const text of ['Disc|', "'Disc|"])
			expect(offered(text)!.items.map((i) => i.insert)).toContain("'Discount %'");
	});
	it('finds names of several words, typed in part, behind other words', () => {
		expect(offered('1 + Close d|')!).toMatchObject({ typed: 'Close d' });
		expect(offered('1 + Close d|')!.labels[0]).toBe('Close date');
		expect(offered('Amount > 1 and Close d|')!.labels[0]).toBe('Close date');
	});
	it('offers the options of a choice behind it, and within quotes', () => {
		for (const text of [
			'Stage = |',
			'Stage = "|',
			'Stage in (|',
			'Stage in ("Won", |',
			'was.Stage != |',
			'moved(Stage, |'
		])
			expect(offered(text)!.labels, text).toContain('Won');
		expect(offered('Stage = "W|')!).toMatchObject({ labels: ['Won'], typed: '"W' });
		expect(offered('Amount = "|')).toBeNull();
		const cell = complete('W', 1, {
			schema,
			type: 'deal',
			input: { t: 'choice', list: 'deal_stage' }
		});
		expect(cell === null || cell.items.length > 0).toBe(true);
	});
	it.each([
		['before', 'was.'],
		['changed from', 'moved'],
		['as sent', 'sent.'],
		['if blank', 'otherwise'],
		['empty', 'null'],
		['average', 'mean'],
		['how many', 'count'],
		['trim', 'squeeze']
	])('finds by the plain words “%s” what is written %s', (words, label) => {
		expect(offered(`${words}|`)!.labels).toContain(label);
	});
	it('offers functions with signature, help and example, ready for the first argument', () => {
		const f = offered('string le|')!.items[0];
		expect(f).toMatchObject({ label: 'string length', insert: 'string length(' });
		expect(f.detail).toContain('string length(');
		expect(f.help).toContain('string length(');
	});
	it('offers nothing where nothing was typed, unless asked', () => {
		expect(offered('Amount + |')).toBeNull();
		expect(offered('Amount + |', 'deal', true)!.labels.length).toBeGreaterThan(20);
	});
	it('answers at any place of any text, in bounded time, without inherited names', () => {
		fc.assert(
			fc.property(
				fc.array(
					fc.constantFrom(
						'Stage',
						'Customer',
						'.',
						' ',
						'(',
						')',
						'"',
						"'",
						'=',
						'in',
						'was',
						'__proto__',
						'constructor',
						'\\',
						',',
						'1',
						'{',
						'}',
						'sum(',
						'…'
					)
				),
				fc.nat({ max: 60 }),
				(parts, n) => {
					const text = parts.join('');
					const pos = Math.min(n, text.length);
					const c = complete(text, pos, at('deal'), true);
					for (const i of c?.items ?? []) expect(typeof i.insert).toBe('string');
					if (c) expect(c.from).toBeLessThanOrEqual(pos);
					helpAt(text, pos);
					let end = 0;
					for (const t of tokens(text)) {
						expect(t.from).toBeGreaterThanOrEqual(end);
						end = t.to;
					}
				}
			)
		);
	});
});

describe('help at the cursor', () => {
	it('is that of the function whose brackets it stands in', () => {
		expect(helpAt('1 + sum(Amount, ', 16)?.label).toBe('sum');
		expect(helpAt('sum(count(x), ', 14)?.label).toBe('sum');
		expect(helpAt('moved forward(', 14)?.label).toBe('moved forward');
		expect(helpAt('(Amount', 7)).toBeNull();
		expect(helpAt('sum(1)', 6)).toBeNull();
	});
});

describe('tokens', () => {
	it('tell texts, numbers, names, functions and words apart', () => {
		expect(tokens('if Stage = "Won" then sum(1.5) else null // x').map((t) => t.what)).toEqual([
			'word',
			'name',
			'text',
			'word',
			'function',
			'number',
			'word',
			'word',
			'comment'
		]);
	});
});
