/**
 * For every kind of finding the mistakes that bring it, each with a clean twin that only looks like it. A
 * kind without one does not compile. Invented data.
 */
import type {
	Body,
	Definition,
	FindingIs,
	MatchBody,
	Overruled,
	ReferenceTable,
	Rule,
	Trial
} from '../src/core';
import { bands, check, options, rule, type More } from './deals';
import type { Chance } from './chance';

/** What is put into a rule set. */
export interface Part {
	rules: Rule[];
	order?: Record<string, string[]>;
	tables?: ReferenceTable[];
	definitions?: Definition[];
	overruled?: Record<string, Overruled>;
	trials?: Trial[];
}

export interface Planted {
	planted: Part;
	clean: Part;
	/** What else the same mistake brings with it. */
	also?: FindingIs[];
}

type Plant = (c: Chance) => Planted;

const SIZES = ['small', 'medium', 'large'];
export const STAGES = ['open', 'won', 'lost'];
const LABEL: Record<string, string> = {
	small: 'Small',
	medium: 'Medium',
	large: 'Large',
	open: 'Open',
	won: 'Won',
	lost: 'Lost'
};
export const locked: More = { output: { hold: 'locked', none: 'clear' } };
export const validate = (field: string, body: Body, more: More = {}) =>
	rule(field, body, { kind: 'validate', ...more });
export const state = (
	field: string,
	s: 'required' | 'read-only' | 'hidden' | 'limited',
	more: More = {},
	left: string[] = []
) => validate(field, { kind: 'state', state: s, options: left, always: false }, more);
/** A formula of which nobody said what a blank gives. */
const unsaid = (text: string): Body => ({ kind: 'formula', formulas: [{ text }] });
const decision = (hit: 'U' | 'F', input: string, rows: [when: string, then: string][]): Body => ({
	kind: 'table',
	hit,
	inputs: [{ text: input }],
	rows: rows.map(([when, then], i) => ({
		id: `w${i}`,
		when: [{ text: when }],
		then: [{ text: then }]
	}))
});
export const q = (id: string) => `"${LABEL[id]}"`;
const column = (id: string, type: 'text' | 'number' | 'date' | 'choice', list?: string) => ({
	id,
	label: id[0].toUpperCase() + id.slice(1),
	type,
	...(list ? { list } : {})
});
/** Rates by name. */
const rates = (
	rows: (string | null)[][],
	match: 'exact' | 'loose' | 'prefix' = 'loose'
): ReferenceTable => ({
	id: 'rates',
	label: 'Rates',
	why: '',
	columns: [column('name', 'text'), column('rate', 'number')],
	keys: [{ match, column: 'name' }],
	rows,
	missing: 'nothing'
});
/** Rates from–to. */
const ranges = (rows: (string | null)[][]): ReferenceTable => ({
	...rates(rows),
	columns: [column('from', 'number'), column('to', 'number'), column('rate', 'number')],
	keys: [{ match: 'range', from: 'from', to: 'to' }]
});
/** A number for each stage. */
const desk = (rows: (string | null)[][], missing?: ReferenceTable['missing']): ReferenceTable => ({
	id: 'desk',
	label: 'Desk',
	why: '',
	columns: [column('stage', 'choice', 'stage'), column('share', 'number')],
	keys: [{ match: 'exact', column: 'stage' }],
	rows,
	...(missing ? { missing } : {})
});
const lookup = (
	table: string,
	key: string,
	col: string,
	several: 'no result' | 'first' = 'no result'
): Body => ({
	kind: 'lookup',
	table,
	keys: [{ text: key }],
	columns: [col],
	several
});
const definition = (body: string, more: Partial<Definition> = {}): Definition => ({
	id: 'd1',
	name: 'Worked out',
	why: '',
	type: 'deal',
	params: [],
	result: null,
	body: { text: body },
	...more
});
/** Sometimes with a condition, the same for both. */
const some = (c: Chance, more: More = {}): More =>
	c.int(0, 1) ? { ...more, if: c.of(['Urgent', 'Stage = "Won"']) } : more;
export const three = (c: Chance) => c.mixed(SIZES);
const trial = (more: Partial<Trial>): Trial => ({
	id: 'k1',
	name: 'A trial',
	type: 'deal',
	was: null,
	sent: [['amount', '4']],
	entryPoint: 'full',
	at: '2026-11-23T09:00:00.000Z',
	expect: [{ field: 'amount', value: '4' }],
	...more
});
const only = (...rules: Rule[]): Part => ({ rules });
/** A row of a decision table for each stage, in any order. */
const byStage = (c: Chance) =>
	c.mixed(STAGES).map((s): [string, string] => [q(s), String(c.int(1, 9))]);
/** A row of the desk for each stage, in any order. */
const deskRows = (c: Chance) => c.mixed(STAGES).map((s, i) => [s, String(i + 1)]);

/** For each kind of finding the ways to make the mistake. */
export const PLANTS: Readonly<Record<FindingIs, readonly Plant[]>> = {
	'rule fault': [
		(c) => ({
			planted: only(rule('share', `Amount + ${c.of(['Nowhere', '"x"', '(', 'Day'])}`)),
			clean: only(rule('share', `Amount + ${c.int(1, 9)}`))
		})
	],
	unfinished: [
		(c) => ({
			planted: only(rule('share', c.of(['', 'Amount + …', '  ']))),
			clean: only(rule('share', `Amount + ${c.int(1, 9)}`))
		})
	],
	'definition fault': [
		(c) => ({
			planted: { rules: [], definitions: [definition(`Amount * ${c.of(['', 'Nowhere'])}`)] },
			clean: { rules: [], definitions: [definition(`Amount * ${c.int(2, 9)}`)] }
		})
	],
	'table fault': [
		(c) => ({
			planted: { rules: [], tables: [rates([['a', c.of(['x', '1,2,3'])]])] },
			clean: { rules: [], tables: [rates([['a', String(c.int(1, 9))]])] }
		})
	],
	'doubled key': [
		(c) => ({
			planted: {
				rules: [],
				tables: [
					rates(
						c.mixed([
							['Zéphyr & Co', '1'],
							['zephyr  & CO', '2'],
							['b', '3']
						])
					)
				]
			},
			clean: {
				rules: [],
				tables: [
					rates(
						c.mixed([
							['Zéphyr', '1'],
							['Zephyra', '2'],
							['b', '3']
						])
					)
				]
			}
		}),
		(c) => {
			const several = c.of(['no result', 'first'] as const);
			const of = (b: string): Part => ({
				rules: [rule('share', lookup('rates', 'Company', 'rate', several))],
				tables: [
					rates(
						[
							['a', '1'],
							[b, '2']
						],
						'exact'
					)
				]
			});
			return { planted: of('a'), clean: of('b') };
		}
	],
	'overlapping ranges': [
		(c) => {
			const at = c.int(5, 50);
			const of = (next: number): Part => ({
				rules: [],
				tables: [
					ranges([
						['1', String(at), '1'],
						[String(next), null, '2']
					])
				]
			});
			return { planted: of(at), clean: of(at + 1) };
		}
	],
	'blank unsaid': [
		(c) => {
			const more = some(c);
			return {
				planted: only(rule('share', unsaid(`Amount * ${c.int(2, 9)}`), more)),
				clean: only(rule('share', unsaid(`otherwise(Amount, 0) * ${c.int(2, 9)}`), more))
			};
		},
		(c) => {
			const rows = { open: c.of(SIZES), won: c.of(SIZES), lost: c.of(SIZES) };
			return {
				planted: only(rule('size', options(rows, false))),
				clean: only(rule('size', options(rows)))
			};
		}
	],
	'gap between bands': [
		(c) => {
			const [a, b, d] = three(c);
			const [lo, hi] = [c.int(0, 9), c.int(10, 99)].map(String);
			return {
				planted: only(rule('size', bands([lo, hi], [a, null, b]))),
				clean: only(rule('size', bands([lo, hi], [a, d, b])))
			};
		}
	],
	'beyond the bands': [
		(c) => {
			const [a, b, d] = three(c);
			const [lo, hi] = [c.int(0, 9), c.int(10, 99)].map(String);
			return {
				planted: only(rule('size', bands([lo, hi], c.int(0, 1) ? [null, a, b] : [a, b, null]))),
				clean: only(rule('size', bands([lo, hi], [a, b, d])))
			};
		}
	],
	'unmapped option': [
		(c) => {
			const whole = { open: c.of(SIZES), won: c.of(SIZES), lost: c.of(SIZES) };
			const { [c.of(STAGES) as 'open']: _, ...rest } = whole;
			return {
				planted: only(rule('size', options(rest))),
				clean: only(rule('size', options(whole)))
			};
		}
	],
	'missing row': [
		(c) => {
			const rows = deskRows(c);
			const of = (r: string[][]): Part => ({
				rules: [rule('share', lookup('desk', 'Stage', 'share'))],
				tables: [desk(r, 'mistake')]
			});
			return { planted: of(rows.slice(1)), clean: of(rows) };
		}
	],
	'key without a row': [
		(c) => {
			const rows = deskRows(c);
			const of = (missing?: ReferenceTable['missing']): Part => ({
				rules: [rule('share', lookup('desk', 'Stage', 'share'))],
				tables: [desk(rows.slice(1), missing)]
			});
			return { planted: of(), clean: of(c.of(['nothing', 'leave'])) };
		}
	],
	'blank cell': [
		(c) => {
			const rows = deskRows(c);
			const of = (r: (string | null)[][]): Part => ({
				rules: [rule('share', lookup('desk', 'Stage', 'share'))],
				tables: [desk(r, 'mistake')]
			});
			return { planted: of([[rows[0][0], null], ...rows.slice(1)]), clean: of(rows) };
		}
	],
	'missing decision': [
		(c) => {
			const rows = byStage(c);
			return {
				planted: only(rule('share', decision('U', 'Stage', [...rows.slice(1), ['null', '0']]))),
				clean: only(rule('share', decision('U', 'Stage', [...rows, ['null', '0']])))
			};
		},
		(c) => {
			const lo = c.int(0, 9);
			const of = (gap: number) =>
				only(
					rule(
						'share',
						decision('F', 'Amount', [
							[`<= ${lo}`, '1'],
							[`> ${lo + gap}`, '2'],
							['null', '4']
						])
					)
				);
			return { planted: of(c.int(1, 5)), clean: of(0) };
		}
	],
	'missing decision on blank': [
		(c) => {
			const rows = byStage(c);
			return {
				planted: only(rule('share', decision('U', 'Stage', rows))),
				clean: only(rule('share', decision('U', 'Stage', [...rows, ['null', '0']])))
			};
		}
	],
	'overlapping rows': [
		(c) => {
			const at = c.int(2, 50);
			const of = (next: string) =>
				only(
					rule(
						'share',
						decision('U', 'Amount', [
							[`<= ${at}`, '1'],
							[next, '2'],
							['null', '3']
						])
					)
				);
			return { planted: of(`>= ${at}`), clean: of(`> ${at}`) };
		}
	],
	'covered row': [
		(c) => {
			const row: [string, string] = [q(c.of(STAGES)), '1'];
			return {
				planted: only(rule('share', decision('F', 'Stage', [['-', '2'], row]))),
				clean: only(rule('share', decision('F', 'Stage', [row, ['-', '2']])))
			};
		}
	],
	'impossible row': [
		(c) => {
			const [lo, hi] = [c.int(1, 9), c.int(20, 90)];
			const of = (cell: string) =>
				only(
					rule(
						'share',
						decision('F', 'Amount', [
							[cell, '1'],
							['-', '2']
						])
					)
				);
			return { planted: of(`[${hi}..${lo}]`), clean: of(`[${lo}..${hi}]`), also: ['empty range'] };
		}
	],
	'never applies': [
		(c) => {
			const [lo, hi] = [c.int(1, 9), c.int(20, 90)];
			return {
				planted: only(rule('share', '1', { if: `Amount < ${lo} and Amount > ${hi}` })),
				clean: only(rule('share', '1', { if: `Amount > ${lo} and Amount < ${hi}` }))
			};
		}
	],
	'always applies': [
		(c) => {
			const lo = c.int(1, 9);
			const blank = 'is blank(Amount)';
			return {
				planted: only(rule('share', '1', { if: `Amount < ${lo} or Amount >= ${lo} or ${blank}` })),
				clean: only(rule('share', '1', { if: `Amount < ${lo} or Amount > ${lo} or ${blank}` }))
			};
		}
	],
	'enters at once': [
		(c) => {
			const lo = c.int(1, 9);
			const of = (more: string) =>
				only(
					rule('note', '"Came"', { entering: true, if: `Amount < ${lo} or Amount >= ${lo}${more}` })
				);
			return { planted: of(' or is blank(Amount)'), clean: of('') };
		}
	],
	'never met': [
		(c) => {
			const [lo, hi] = [c.int(1, 9), c.int(20, 90)];
			const more = some(c);
			return {
				planted: only(validate('amount', check(`Amount < ${lo} and Amount > ${hi}`), more)),
				clean: only(validate('amount', check(`Amount > ${lo} and Amount < ${hi}`), more))
			};
		}
	],
	'always met': [
		(c) => {
			const lo = c.int(1, 9);
			const more = some(c);
			return {
				planted: only(
					validate('amount', check(`Amount < ${lo} or Amount >= ${lo} or is blank(Amount)`), more)
				),
				clean: only(
					validate('amount', check(`Amount < ${lo} or Amount > ${lo} or is blank(Amount)`), more)
				)
			};
		}
	],
	clash: [
		(c) => {
			const [lo, hi] = [c.int(1, 9), c.int(20, 90)];
			const of = (a: number, b: number) =>
				only(validate('amount', check(`Amount > ${a}`)), validate('note', check(`Amount < ${b}`)));
			return { planted: of(hi, lo), clean: of(lo, hi) };
		}
	],
	'unwatched read': [
		(c) => ({
			planted: only(
				rule('share', 'otherwise(Amount, 0) + otherwise(Score, 0)', { watch: ['amount'] })
			),
			clean: only(
				rule('share', 'otherwise(Amount, 0) + otherwise(Score, 0)', {
					watch: c.of([null, ['amount', 'score'], ['score', 'amount']])
				})
			)
		})
	],
	'unread watch': [
		(c) => ({
			planted: only(
				rule('share', 'otherwise(Amount, 0) + 1', {
					watch: ['amount', c.of(['note', 'day', 'stage'])]
				})
			),
			clean: only(rule('share', 'otherwise(Amount, 0) + 1', { watch: ['amount'] }))
		})
	],
	'retired option': [
		(c) => ({
			planted: only(rule('share', '1', { if: 'Size = "Old"' })),
			clean: only(rule('share', '1', { if: `Size = ${q(c.of(SIZES))}` }))
		}),
		(c) => ({
			planted: { rules: [], definitions: [definition('Size = "Old"')] },
			clean: { rules: [], definitions: [definition(`Size = ${q(c.of(SIZES))}`)] }
		}),
		(c) => {
			const of = (size: string): Part => ({
				rules: [],
				tables: [
					{
						...rates([['a', size]]),
						columns: [column('name', 'text'), column('rate', 'choice', 'size')]
					}
				]
			});
			return { planted: of('old'), clean: of(c.of(SIZES)) };
		}
	],
	outranked: [
		(c) => {
			const once: More = { output: { hold: 'once' }, moments: ['created'] };
			return {
				planted: only(rule('share', String(c.int(1, 9)), once), rule('share', '10', once)),
				clean: only(
					rule('share', String(c.int(1, 9)), { ...once, if: 'Urgent' }),
					rule('share', '10', once)
				)
			};
		},
		(c) => {
			const above = `otherwise(Amount, 0) + ${c.int(1, 9)}`;
			const below = () => rule('share', 'otherwise(Score, 0) * 2');
			return {
				planted: only(rule('share', above), below()),
				clean: only(rule('share', above, { if: c.of(['Urgent', 'Stage = "Won"']) }), below())
			};
		}
	],
	'gives nothing': [
		(c) => {
			const k = c.int(1, 9);
			return {
				planted: only(rule('share', `if Amount > ${k} then null else null`)),
				clean: only(rule('share', `if Amount > ${k} then 1 else null`)),
				also: ['same branches']
			};
		}
	],
	fails: [
		(c) => ({
			planted: only(rule('size', `if is blank(Urgent) then "Old" else ${q(c.of(SIZES))}`)),
			clean: only(rule('size', 'if is blank(Urgent) then "Large" else "Small"')),
			also: ['retired option', 'blank into else']
		}),
		(c) => {
			const rows = (s: string) => ({ open: s, won: s, lost: s });
			const [a, b] = three(c);
			const limit = () => state('size', 'limited', {}, [a]);
			return {
				planted: only(limit(), rule('size', options(rows(b)))),
				clean: only(limit(), rule('size', options(rows(a))))
			};
		}
	],
	spaces: [
		(c) => {
			const end = c.of([' + " "', ' + "  x"']);
			return {
				planted: only(rule('note', `Title${end}`)),
				clean: only(rule('note', `squeeze(Title${end})`))
			};
		}
	],
	'not steady': [
		(c) => ({
			planted: only(rule('title', `sent.Title + "${c.of(['x', '!'])}"`)),
			clean: only(rule('title', c.of(['upper case(sent.Title)', 'squeeze(sent.Title)'])))
		})
	],
	'entry point differs': [
		(c) => {
			const formula = `otherwise(Amount, 0) + ${c.int(1, 9)}`;
			return {
				planted: only(
					rule('share', formula, {
						entryPoints: c.of([['full'], ['import', 'api'], ['full', 'short']])
					})
				),
				clean: only(rule('share', formula))
			};
		}
	],
	'moves with the day': [
		(c) => ({
			planted: only(rule('share', '1', { if: `today > Day + duration("P${c.int(1, 30)}D")` })),
			clean: only(rule('share', '1', { if: `Day > date("202${c.int(0, 9)}-01-01")` }))
		}),
		(c) => ({
			planted: only(rule('urgent', `Day ${c.of(['<', '>'])} today`)),
			clean: only(rule('urgent', 'Day < date("2026-01-01")'))
		})
	],
	'undone at next save': [
		(c) => {
			const event = () => rule('share', String(c.int(60, 90)), { if: 'changed(Stage)' });
			const firm = () => rule('share', 'otherwise(Amount, 0)', locked);
			return { planted: only(event(), firm()), clean: only(firm()) };
		}
	],
	overruled: [
		(c) => {
			const r = rule('share', 'otherwise(Amount, 0) + 1');
			const of = (overruled: number): Part => ({
				rules: [r],
				overruled: { [`${r.id}:o`]: { wrote: 20, overruled, since: '2026-08-25' } }
			});
			return { planted: of(c.int(5, 20)), clean: of(c.int(0, 3)) };
		}
	],
	'first of several': [
		(c) => {
			const match = (several: MatchBody['several']): Body => ({
				kind: 'match',
				type: 'firm',
				on: [{ field: 'name', how: c.of(['loose', 'exact'] as const), value: { text: 'Company' } }],
				several
			});
			return {
				planted: only(rule('firm', match('first'))),
				clean: only(rule('firm', match(c.of(['no result', 'leave', 'clear']))))
			};
		}
	],
	'mixed currencies': [
		(c) => ({
			planted: only(rule('urgent', `Price ${c.of(['>', '<', '='])} Fee`)),
			clean: only(rule('urgent', `Price ${c.of(['>', '<'])} ${c.int(1, 99)}`))
		}),
		() => ({
			planted: only(rule('price', 'Fee')),
			clean: only(rule('price', 'otherwise(Amount, 0)'))
		}),
		(c) => ({
			planted: only(rule('share', c.of(['Price + Fee', 'sum(Price, Fee)', 'Fee - Price']))),
			clean: only(rule('share', `Price + ${c.int(1, 9)}`))
		})
	],
	'percent as fraction': [
		(c) => ({
			planted: only(rule('rate', c.of(['Amount / Score', 'Price / Amount']))),
			clean: only(rule('rate', c.of(['Amount / Score * 100', '100 * Price / Amount'])))
		}),
		(c) => ({
			planted: only(rule('share', '1', { if: `Rate ${c.of(['<', '>='])} 0.${c.int(1, 9)}` })),
			clean: only(rule('share', '1', { if: `Rate ${c.of(['<', '>='])} ${c.int(1, 9)}` }))
		}),
		(c) => ({
			planted: only(rule('share', c.of(['Amount * Rate', 'Rate * Amount', 'Amount * (1 - Rate)']))),
			clean: only(rule('share', c.of(['Amount * Rate / 100', 'Amount * (1 - Rate / 100)'])))
		})
	],
	'same branches': [
		(c) => {
			const [a, b] = three(c);
			const of = (x: string, y: string) =>
				only(rule('size', `if is blank(Day) then ${q(x)} else ${q(y)}`));
			return { planted: of(a, a), clean: of(a, b) };
		}
	],
	'empty range': [
		(c) => {
			const [lo, hi] = [c.int(1, 9), c.int(20, 90)];
			const of = (a: number, b: number) =>
				only(validate('amount', check(`Score > 1 or Amount between ${a} and ${b}`)));
			return { planted: of(hi, lo), clean: of(lo, hi) };
		}
	],
	'never seen to give': [
		(c) => ({
			planted: only(
				rule(
					'share',
					c.of([
						'Amount / (Amount - Amount)',
						'Amount / (Amount * 0)',
						'firm.heads / (firm.heads - firm.heads)'
					])
				)
			),
			clean: only(rule('share', `Amount / (Amount - ${c.int(1, 9)})`))
		})
	],
	'stays blank': [
		(c) => ({
			planted: only(rule('share', `was.Share + ${c.int(1, 3)}`, { if: 'changed(Stage)' })),
			clean: only(
				rule('share', `otherwise(was.Share, 0) + ${c.int(1, 3)}`, { if: 'changed(Stage)' })
			)
		})
	],
	'blank into else': [
		(c) => {
			const test = `Amount > ${c.int(1, 90)}`;
			return {
				planted: only(rule('size', `if ${test} then "Large" else "Small"`)),
				clean: only(
					rule('size', `if is blank(Amount) then null else if ${test} then "Large" else "Small"`)
				)
			};
		}
	],
	'goes to nobody': [
		(c) => {
			const [lo, hi] = [c.int(1, 9), c.int(20, 90)];
			const of = (filter: string | null, to: string): Part => ({
				rules: [
					{
						...rule('note', {
							kind: 'message',
							each: null,
							filter: filter ? { text: filter } : null,
							to: { text: to },
							subject: ['Stage'],
							text: ['It is ', { text: 'Stage' }],
							once: 'event'
						}),
						outputs: [],
						guard: { text: 'changed(Stage)' }
					}
				]
			});
			return {
				planted: c.of([
					of(`Amount < ${lo} and Amount > ${hi}`, '"ann@fen.example"'),
					of(null, c.of(['null', 'if Amount > 3 then null else trim(" ")']))
				]),
				clean: of(`Amount > ${lo} and Amount < ${hi}`, c.of(['"ann@fen.example"', 'firm.mail']))
			};
		}
	],
	'leaves out reached records': [
		(c) => {
			const formula = c.of(['firm.heads', 'otherwise(firm.heads, 0) + 1']);
			return {
				planted: only(rule('share', formula, { submittedOnly: true })),
				clean: only(rule('share', formula))
			};
		}
	],
	'set off by nothing': [
		(c) => ({
			planted: only(rule('day', `today + duration("P${c.int(1, 60)}D")`)),
			clean: only(
				rule('day', `today + duration("P${c.int(1, 60)}D")`, { watch: [c.of(['stage', 'amount'])] })
			)
		})
	],
	'narrow moment': [
		(c) => {
			const formula = `otherwise(Amount, 0) * ${c.int(2, 9)}`;
			return {
				planted: only(rule('share', formula, { moments: c.of([['created'], ['changed']]) })),
				clean: only(rule('share', formula, { output: { hold: 'once' }, moments: ['created'] }))
			};
		}
	],
	'nobody can save': [
		(c) => {
			const stage = q(c.of(STAGES));
			return {
				planted: only(
					state('note', 'required', { if: `Stage = ${stage}` }),
					state('note', 'read-only', c.int(0, 1) ? {} : { if: 'Urgent' })
				),
				clean: only(
					state('note', 'required', { if: `Stage = ${stage}` }),
					state('note', 'read-only', { if: `Stage != ${stage}` })
				)
			};
		},
		(c) => ({
			planted: only(state('share', 'required'), rule('share', `Amount * ${c.int(2, 9)}`, locked)),
			clean: only(
				state('share', 'required'),
				rule('share', `otherwise(Amount, 0) * ${c.int(2, 9)}`, locked)
			)
		})
	],
	'refused although set by a rule': [
		(c) => ({
			planted: only(
				validate('share', check(`Share < ${c.int(50, 99)}`)),
				rule('share', 'otherwise(Amount, 0) * 2', locked)
			),
			clean: only(
				validate('share', check(`Share < ${c.int(50, 99)}`)),
				rule('share', 'if is blank(Day) then 1 else 2', locked)
			)
		}),
		(c) => {
			const fixed = () => rule('share', '200', locked);
			const of = (...checks: string[]) =>
				only(...checks.map((text) => validate(c.of(['note', 'title']), check(text))), fixed());
			return {
				planted: of(`Share < ${c.int(50, 99)}`),
				// people can set the other
				clean: of(`Share < Amount + ${c.int(1, 9)}`)
			};
		}
	],
	'required while hidden': [
		(c) => {
			const stage = c.mixed(STAGES);
			const of = (s: string) =>
				only(
					state('note', 'required', { if: `Stage = ${q(stage[0])}` }),
					state('note', 'hidden', { if: `Stage = ${q(s)}` })
				);
			return { planted: of(stage[0]), clean: of(stage[1]) };
		}
	],
	'no option left': [
		(c) => {
			const [a, b, d] = three(c);
			const of = (left: string[]) =>
				only(
					state('size', 'limited', {}, [a, d]),
					state('size', 'limited', { if: 'Urgent' }, left)
				);
			return { planted: of([b]), clean: of([b, d]) };
		}
	],
	'row never found': [
		(c) => ({
			planted: {
				rules: [],
				tables: [
					rates(
						c.mixed([
							['a', '1'],
							[c.of([null, ' ']), '2']
						])
					)
				]
			},
			clean: {
				rules: [],
				tables: [
					rates(
						c.mixed([
							['a', '1'],
							['b', '2']
						])
					)
				]
			}
		}),
		(c) => {
			const [lo, hi] = [c.int(1, 9), c.int(20, 90)].map(String);
			return {
				planted: { rules: [], tables: [ranges([[hi, lo, '1']])] },
				clean: { rules: [], tables: [ranges([[lo, hi, '1']])] }
			};
		}
	],
	'retired field': [
		(c) => ({
			planted: only(rule('note', c.of(['upper case(Fax)', 'otherwise(Fax, Title)']))),
			clean: only(rule('note', 'upper case(Title)'))
		}),
		() => ({
			planted: { rules: [], definitions: [definition('is blank(Fax)')] },
			clean: { rules: [], definitions: [definition('is blank(Note)')] }
		})
	],
	'trial of what is gone': [
		(c) => {
			const wrong: Partial<Trial> = c.of([
				{ sent: [['fax', '1']] },
				{ sent: [['nowhere', '1']] },
				{ sent: [['size', 'old']] },
				{ expect: [{ field: 'size', value: 'huge' }] },
				{ type: 'nothing' }
			] as Partial<Trial>[]);
			return {
				planted: { rules: [], trials: [trial(wrong)] },
				// what is retired stays where it is stored
				clean: {
					rules: [],
					trials: [trial({ was: { size: 'old' }, sent: [['size', c.of(SIZES)]] })]
				}
			};
		}
	],
	'moved from or to blank': [
		(c) => {
			const s = q(c.of(STAGES));
			const of = (side: string) =>
				only(
					rule('note', '"Moved"', {
						if: c.int(0, 1) ? `moved(Stage, ${side}, ${s})` : `moved(Stage, ${s}, ${side})`
					})
				);
			return { planted: of('null'), clean: of('anything') };
		}
	]
};
