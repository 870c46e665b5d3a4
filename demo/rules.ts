/** The rules of the demo workspace: what its three releases hold, and the draft on top of them. */
import { compileExpression } from '../src/core/feel/compile';
import { readTemplate } from '../src/core/feel/template';
import { parseExpression } from '../src/core/feel/parse';
import { bare } from '../src/core/feel/tree';
import type { JsonValue } from '../src/core/model/codec';
import { Schema } from '../src/core/model/model';
import type {
	Body,
	Formula,
	Hold,
	Kind,
	Limit,
	NoResult,
	Output,
	Rule,
	RuleSet
} from '../src/core/model/rules';
import { demoModel } from './model';

const schema = new Schema(demoModel);

/** Reads a formula of the demo into its tree. */
export function formula(type: string, text: string): Formula {
	const expr = parseExpression(text, { schema, type });
	return { expr: bare(compileExpression(expr, { schema, type }).expr) };
}

interface Spec extends Partial<Omit<Rule, 'guard' | 'outputs' | 'body'>> {
	guard?: string;
	hold?: Hold;
	closed?: boolean;
	none?: NoResult;
}

function rule(
	id: string,
	type: string,
	kind: Kind,
	name: string,
	why: string,
	fields: string[],
	body: Body,
	spec: Spec = {}
): Rule {
	const { guard, hold = 'follow', closed, none = 'next', ...rest } = spec;
	const outputs = fields.map((field, i): Output => ({
		id: `o${i + 1}`,
		field,
		hold,
		none,
		...(closed ? { closed } : {})
	}));
	return {
		id,
		type,
		kind,
		name,
		why,
		moments: ['created', 'changed', 'request'],
		entryPoints: null,
		watch: null,
		entering: false,
		guard: guard ? formula(type, guard) : null,
		outputs,
		body,
		...rest
	};
}

const compute = (type: string, ...texts: string[]): Body => ({
	kind: 'formula',
	formulas: texts.map((t) => formula(type, t))
});

function bands(
	type: string,
	input: string,
	limits: (number | Limit)[],
	results: (JsonValue | undefined)[]
): Body {
	return {
		kind: 'bands',
		input: formula(type, input),
		limits: limits.map((l) => (typeof l === 'number' ? { at: String(l), belongs: 'above' } : l)),
		results: results.map((r) => (r === undefined ? null : [r])),
		blank: { none: true }
	};
}

function check(type: string, holds: string, message: string, blocking = true): Body {
	return {
		kind: 'check',
		holds: formula(type, holds),
		message: readTemplate(message, { schema, type }).template,
		blocking,
		always: false
	};
}

/** Option to value; `-` in front of nothing: blank gives nothing, and that is said. */
function options(input: string, rows: Record<string, JsonValue>): Body {
	return {
		kind: 'options',
		input,
		rows: Object.fromEntries(Object.entries(rows).map(([k, v]) => [k, [v]])),
		blank: { none: true }
	};
}

const sizeClass = (medium: number): Rule =>
	rule(
		'size_class',
		'customer',
		'categorize',
		'Size class follows headcount',
		'Discounts and reports go by it, so nobody should pick it by hand.',
		['size_class'],
		bands(
			'customer',
			'Headcount',
			[0, 10, medium, 250],
			[undefined, 'micro', 'small', 'medium', 'large']
		),
		{ hold: 'locked', none: 'clear' }
	);

const regionRows = {
	netherlands: 'low_countries',
	belgium: 'low_countries',
	germany: 'central',
	poland: 'central',
	france: 'south',
	denmark: 'baltic'
};

const first: Rule[] = [
	sizeClass(50),
	rule(
		'service_plan',
		'customer',
		'map',
		'Service plan by key grower',
		'Key growers get full care unless somebody arranged otherwise.',
		['service_plan'],
		options('key_grower', { true: 'full_care', false: 'yearly_check' })
	),
	rule(
		'urgency',
		'lead',
		'map',
		'Follow-up urgency by enquiry channel',
		'People met at a fair expect an answer the same day.',
		['follow_up_urgency'],
		options('enquiry_channel', {
			trade_fair: 'same_day',
			web_form: 'this_week',
			telephone: 'same_day',
			word_of_mouth: 'this_week',
			referral_by_grower: 'same_day',
			newsletter: 'this_month',
			open_day: 'this_week'
		})
	),
	rule(
		'probability',
		'deal',
		'map',
		'Probability by stage',
		'The forecast weighs amounts by it.',
		['probability'],
		options('stage', {
			enquiry: '10',
			survey: '25',
			quotation: '50',
			negotiation: '75',
			won: '100',
			lost: '0'
		})
	),
	rule(
		'freight',
		'deal',
		'map',
		'Freight paid by delivery rule',
		'Incoterms 2020: who pays the main carriage.',
		['freight_paid_by'],
		options('delivery_rule', {
			exw: 'buyer',
			fca: 'buyer',
			fas: 'buyer',
			fob: 'buyer',
			cfr: 'seller',
			cif: 'seller',
			cpt: 'seller',
			cip: 'seller',
			dap: 'seller',
			dpu: 'seller',
			ddp: 'seller'
		}),
		{ hold: 'locked', none: 'clear' }
	),
	rule(
		'net_amount',
		'deal',
		'derive',
		'Net amount',
		'Amount less the discount given.',
		['net_amount'],
		compute('deal', "Amount * (1 - otherwise('Discount %', 0) / 100)"),
		{ hold: 'locked', none: 'clear' }
	)
];

const second: Rule[] = [
	...first,
	rule(
		'region',
		'customer',
		'map',
		'Trading region by country',
		'Sales targets are set by region.',
		['trading_region'],
		options('country', regionRows),
		{ hold: 'locked', none: 'clear' }
	),
	rule(
		'currency',
		'customer',
		'map',
		'Currency by country',
		'Quotations are written in it; a customer may ask for another.',
		['currency'],
		options('country', {
			netherlands: 'eur',
			belgium: 'eur',
			germany: 'eur',
			france: 'eur',
			denmark: 'dkk',
			poland: 'pln'
		})
	),
	rule(
		'stage_stamp',
		'deal',
		'derive',
		'Stage changed at',
		'How long a deal stands still is counted from here.',
		['stage_changed_at'],
		compute('deal', 'now'),
		{ guard: 'changed(Stage)', closed: true }
	),
	rule(
		'stage_from',
		'deal',
		'derive',
		'Stage it came from',
		'Shows in the pipeline which way a deal moved.',
		['stage_it_came_from'],
		compute('deal', 'was.Stage'),
		{ guard: 'changed(Stage)', closed: true, none: 'clear' }
	),
	rule(
		'stage_before_loss',
		'deal',
		'derive',
		'Stage before loss',
		'Tells at which stage deals are lost.',
		['stage_before_loss'],
		compute('deal', 'was.Stage'),
		{ guard: 'Stage = "Lost"', entering: true, closed: true }
	),
	rule(
		'moved_back',
		'deal',
		'derive',
		'Times moved back',
		'Deals that go back and forth need a second look.',
		['times_moved_back'],
		compute('deal', 'otherwise(was.Times moved back, 0) + 1'),
		{ guard: 'moved back(Stage)', closed: true }
	),
	rule(
		'amount_before',
		'deal',
		'derive',
		'Amount before the change',
		'So that everyone sees what was negotiated away.',
		['amount_before_the_change'],
		compute('deal', 'was.Amount'),
		{ guard: 'changed(Amount)', closed: true }
	),
	rule(
		'survey_fee',
		'deal',
		'derive',
		'Survey fee',
		'A site survey costs 450; without one there is no fee.',
		['survey_fee'],
		compute('deal', 'if Site survey needed then 450 else null'),
		{ none: 'clear' }
	),
	rule(
		'status_stamp',
		'lead',
		'derive',
		'Status changed at',
		'Not the same as the last change of anything.',
		['status_changed_at'],
		compute('lead', 'now'),
		{ guard: 'changed(Status)', closed: true }
	)
];

const third: Rule[] = [
	...second,
	rule(
		'details_checked',
		'customer',
		'derive',
		'Details checked on',
		'Changing the phone or e-mail means that somebody asked.',
		['details_checked_on'],
		compute('customer', 'today'),
		{ watch: ['phone', 'e_mail'] }
	),
	rule(
		'label_lines',
		'customer',
		'derive',
		'Label lines by words of the name',
		'Names of more than three words do not fit one line of a label.',
		['label_lines'],
		compute('customer', 'if count(words(Trading name)) > 3 then 2 else 1'),
		{ hold: 'locked', none: 'clear' }
	),
	rule(
		'expected_value',
		'lead',
		'derive',
		'Expected value by fit',
		'Glass area times a rate for each square metre; nothing where there is no fit.',
		['expected_value'],
		compute(
			'lead',
			'if Fit = "Strong" then Glass area * 42 else if Fit = "Fair" then Glass area * 25 else null'
		),
		{ none: 'leave' }
	),
	rule(
		'lead_owner',
		'lead',
		'default',
		'Owner of a new lead',
		'Whoever enters a lead looks after it.',
		['owner'],
		compute('lead', 'person'),
		{ hold: 'once', moments: ['created'] }
	),
	rule(
		'names',
		'contact',
		'derive',
		'Given and family name from the full name',
		'A name is split at its first space.',
		['given_name', 'family_name'],
		compute(
			'contact',
			'substring before(squeeze(Full name as received) + " ", " ")',
			'substring after(squeeze(Full name as received), " ")'
		),
		{ none: 'clear' }
	),
	rule(
		'greeting',
		'contact',
		'derive',
		'Greeting',
		'Letters and messages begin with it.',
		['greeting'],
		compute('contact', '"Dear " + Given name'),
		{ none: 'clear' }
	),
	rule(
		'yard',
		'contact',
		'derive',
		'Delivery yard from site code',
		'The yard is the part of the site code behind the dash.',
		['delivery_yard'],
		compute('contact', 'substring after(Site code, "-")')
	),
	rule(
		'phases',
		'deal',
		'default',
		'Three phases for a heat pump',
		'A heat pump runs on three phases unless somebody knows better.',
		['supply_phases'],
		compute('deal', '"Three phases"'),
		{ guard: 'Heat pump', hold: 'fill' }
	),
	rule(
		'quarter',
		'deal',
		'derive',
		'Fiscal quarter',
		'The books close by calendar quarter.',
		['fiscal_quarter'],
		compute('deal', 'string(Close date.year) + " Q" + string(quarter(Close date))'),
		{ hold: 'locked', none: 'clear' }
	),
	rule(
		'capacity',
		'deal',
		'validate',
		'Heat pump needs its capacity',
		'The grid operator asks for it; older systems do not send it.',
		['electrical_capacity'],
		{ kind: 'state', state: 'required', options: [], always: false },
		{ guard: 'Heat pump', entryPoints: ['full', 'short'] }
	),
	rule(
		'close_date',
		'deal',
		'validate',
		'An open deal closes in the future',
		'A date in the past spoils the forecast.',
		['close_date'],
		check(
			'deal',
			'Close date >= today',
			'Close date {Close date} has passed, and the deal is still at {Stage}.'
		),
		{ guard: 'not(Stage in ("Won", "Lost"))' }
	),
	rule(
		'discount',
		'deal',
		'validate',
		'Discount within its limit',
		'More than the limit needs a word with the head of sales.',
		['discount_percent'],
		check(
			'deal',
			"'Discount %' <= 'Discount limit %'",
			"A discount of {'Discount %'} % is more than the limit of {'Discount limit %'} %.",
			false
		)
	),
	rule(
		'interest',
		'lead',
		'validate',
		'Product interest limited by crop',
		'Ebb floors are for pot plants; fogging harms herbs.',
		['product_interest'],
		{
			kind: 'allowed',
			input: 'crop',
			rows: {
				orchid: ['climate_computer', 'screens', 'ebb_floor', 'led_lighting', 'boiler_house'],
				herbs: ['climate_computer', 'screens', 'drip_irrigation', 'ebb_floor', 'led_lighting'],
				tulip: ['climate_computer', 'ebb_floor', 'led_lighting', 'boiler_house'],
				strawberry: ['climate_computer', 'drip_irrigation', 'fogging', 'led_lighting']
			}
		}
	)
];
// a text literal becomes an option only where one is wanted
for (const r of third)
	if (r.id === 'phases')
		r.body = {
			kind: 'formula',
			formulas: [{ expr: { k: 'option', list: 'supply_phases', option: 'three_phases' } }]
		};

/** The three releases of the demo, oldest first, with the note each was given. */
export const demoReleases: { note: string; set: RuleSet }[] = [
	{
		note: 'Size class, service plan, urgency, probability, freight and net amount.',
		set: { rules: first, order: {} }
	},
	{
		note: 'Regions and currencies; stamps and counters on deals and leads.',
		set: { rules: second, order: {} }
	},
	{ note: 'Contacts, expected value, owners, quarters.', set: { rules: third, order: {} } }
];

/** The draft: a limit moved, and a new rule with a mistake in it. */
export const demoDraft: RuleSet = {
	rules: [
		...third.map((r) => (r.id === 'size_class' ? sizeClass(60) : r)),
		rule(
			'visits',
			'customer',
			'categorize',
			'Service visits by glass area',
			'Larger houses are visited more often.',
			['service_visits_a_year'],
			bands('customer', 'Glass area', [2000, 10000, 12000], ['1', '2', undefined, '4'])
		)
	],
	order: {}
};
