/** The rules of the demo workspace: what its three releases hold, and the draft on top of them. */
import type {
	Body,
	Cell,
	Definition,
	Formula,
	HitPolicy,
	Hold,
	JsonValue,
	Kind,
	Limit,
	MatchHow,
	NoResult,
	OncePer,
	Output,
	ReferenceTable,
	Rule,
	RuleSet
} from '../src/core';
import { Schema } from '../src/core';
import {
	bare,
	compileDefinition,
	compileExpression,
	compileTests,
	parseExpression,
	parseTests,
	readTemplate,
	typeOfField
} from '../src/core/feel/language';
import { demoModel } from './model';

const written: Definition[] = [
	{
		id: 'rate',
		name: 'Rate per m²',
		why: 'What a square metre of glass is worth to us, by how well a lead fits.',
		type: null,
		params: [{ name: 'fit', type: 'choice', list: 'fit' }],
		result: { type: 'number' },
		body: { text: 'if fit = "Strong" then 42 else if fit = "Fair" then 25 else null' }
	},
	{
		id: 'left',
		name: 'Share left',
		why: 'What is left of an amount after a discount; no discount leaves all of it.',
		type: null,
		params: [{ name: 'percent', type: 'percent' }],
		result: null,
		body: { text: '1 - otherwise(percent, 0) / 100' }
	}
];

/** What the demo's formulas may name beside fields, read into trees as the page stores them. */
export const demoDefinitions: Definition[] = written.map((d) => ({
	...d,
	body: { expr: bare(compileDefinition(d, new Schema(demoModel)).expr) }
}));

/** Country desk: what follows from a customer's country. */
export const countryDesk: ReferenceTable = {
	id: 'country_desk',
	label: 'Country desk',
	missing: 'mistake',
	why: 'Kept by the sales office: the region that a country counts to and the currency it is quoted in.',
	columns: [
		{ id: 'country', label: 'Country', type: 'choice', list: 'country' },
		{ id: 'region', label: 'Trading region', type: 'choice', list: 'region' },
		{ id: 'currency', label: 'Currency', type: 'choice', list: 'currency' },
		{ id: 'engineer', label: 'Engineer', type: 'link', target: 'engineer' }
	],
	keys: [{ match: 'exact', column: 'country' }],
	rows: [
		['netherlands', 'low_countries', 'eur', '2'],
		['belgium', 'low_countries', 'eur', '6'],
		['germany', 'central', 'eur', '4'],
		['france', 'south', 'eur', '5'],
		['denmark', 'baltic', 'dkk', '7'],
		['poland', 'central', 'pln', '8']
	]
};

/** District postcodes: the service district by country and the beginning of the postal code. */
export const districtPostcodes: ReferenceTable = {
	id: 'district_postcodes',
	label: 'District postcodes',
	why: 'Kept by the service office: which district drives out to which postal codes. Its rows count at once.',
	living: true,
	columns: [
		{ id: 'country', label: 'Country', type: 'choice', list: 'country' },
		{ id: 'begins', label: 'Postal code begins', type: 'text' },
		{ id: 'district', label: 'Service district', type: 'link', target: 'district' }
	],
	keys: [
		{ match: 'exact', column: 'country' },
		{ match: 'prefix', column: 'begins' }
	],
	rows: ['netherlands', 'germany', 'france', 'belgium', 'denmark', 'poland'].flatMap((c, i) =>
		'0123456789'
			.split('')
			// postal codes of the Netherlands and Belgium do not begin with 0
			.filter((d) => d !== '0' || !['netherlands', 'belgium'].includes(c))
			.map((d) => [c, d, String(2 * i + (Number(d) < 5 ? 2 : 1))])
	)
};

/** Channel desk: who looks after leads of a channel, where that is not whoever enters them. */
export const channelDesk: ReferenceTable = {
	id: 'channel_desk',
	label: 'Channel desk',
	why: 'Leads of some channels go to a desk, whoever types them in.',
	columns: [
		{ id: 'channel', label: 'Enquiry channel', type: 'choice', list: 'channel' },
		{ id: 'owner', label: 'Owner', type: 'link', target: 'engineer' }
	],
	keys: [{ match: 'exact', column: 'channel' }],
	rows: [['trade_fair', '12']]
};

const demoTables = [countryDesk, districtPostcodes, channelDesk];

const schema = new Schema(demoModel, { definitions: demoDefinitions, tables: demoTables });

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
	const setOffAt = rest.each ? schema.field(type, rest.each)!.target! : type;
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
		guard: guard ? formula(setOffAt, guard) : null,
		outputs,
		body,
		...rest
	};
}

const compute = (type: string, ...texts: string[]): Body => ({
	kind: 'formula',
	formulas: texts.map((t) => formula(type, t)),
	blank: { none: true }
});

/** If … then …, in order, and what is given otherwise; `nothing`, or a formula. */
function cases(type: string, rows: [when: string, then: string][], otherwise: string): Body {
	const gives = (text: string) => (text === 'nothing' ? text : formula(type, text));
	return {
		kind: 'cases',
		rows: rows.map(([when, then], i) => ({
			id: `c${i + 1}`,
			when: formula(type, when),
			then: [gives(then)]
		})),
		otherwise: [gives(otherwise)]
	};
}

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

/** A decision table, a line a row: tests apart by `|`, results behind `=>`. */
function table(
	type: string,
	hit: HitPolicy,
	inputs: string[],
	fields: string[],
	lines: string
): Body {
	const cell = (text: string, input: string): Cell => {
		const ty = compileExpression(parseExpression(input, { schema, type }), { schema, type }).ty;
		return {
			tests: bare(
				compileTests(parseTests(text, { schema, type }), { schema, type, input: ty }).tests
			)
		};
	};
	const result = (text: string, field: string): Formula => {
		const expected = typeOfField(schema.field(type, field)!);
		const expr = parseExpression(text, { schema, type });
		return { expr: bare(compileExpression(expr, { schema, type, expected }).expr) };
	};
	return {
		kind: 'table',
		hit,
		inputs: inputs.map((t) => formula(type, t)),
		rows: lines
			.trim()
			.split('\n')
			.map((line, i) => {
				const [when, then] = line.split('=>').map((half) => half.split('|').map((c) => c.trim()));
				return {
					id: `row${i + 1}`,
					when: when.map((c, k) => cell(c, inputs[k])),
					then: then.map((c, k) => result(c, fields[k]))
				};
			})
	};
}

const lookup = (type: string, table: string, keys: string[], ...columns: string[]): Body => ({
	kind: 'lookup',
	table,
	keys: keys.map((k) => formula(type, k)),
	columns,
	several: 'no result'
});

const match = (
	type: string,
	target: string,
	...on: [field: string, how: MatchHow, value: string][]
): Body => ({
	kind: 'match',
	type: target,
	on: on.map(([field, how, value]) => ({ field, how, value: formula(type, value) })),
	several: 'leave'
});

function message(
	type: string,
	each: string | null,
	to: string,
	subject: string,
	text: string,
	once: OncePer = 'event'
): Body {
	const about = each ?? type;
	const read = (t: string) => readTemplate(t, { schema, type: about }).template;
	return {
		kind: 'message',
		each: each ? { type: each, field: type } : null,
		filter: null,
		to: formula(about, to),
		subject: read(subject),
		text: read(text),
		once
	};
}

const compose = (type: string, text: string): Body => ({
	kind: 'compose',
	texts: [readTemplate(text, { schema, type }).template],
	blanks: 'leave out'
});

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

/** Thresholds of Commission Recommendation 2003/361/EC beside the headcount: both must be exceeded. */
const sizeLift: Rule = rule(
	'size_lift',
	'customer',
	'categorize',
	'Size class lifted by turnover and balance sheet',
	'A small staff with a large turnover and a large balance sheet counts as the larger class.',
	['size_class'],
	table(
		'customer',
		'F',
		['Headcount', 'Turnover', 'Balance sheet total'],
		['size_class'],
		`
		>= 0 | > 50000000 | > 43000000 => "Large"
		[0..50) | > 10000000 | > 10000000 => "Medium"
		[0..10) | > 2000000 | > 2000000 => "Small"
	`
	),
	{ hold: 'locked' }
);

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
		compute('deal', "Amount * Share left('Discount %')"),
		{ hold: 'locked', none: 'clear' }
	)
];

/** The region always equals the desk's; the currency follows it and may be chosen otherwise. */
function twoHolds(r: Rule): Rule {
	const [region, currency] = r.outputs;
	return { ...r, outputs: [region, { ...currency, hold: 'follow', none: 'next' }] };
}

const second: Rule[] = [
	...first,
	sizeLift,
	twoHolds(
		rule(
			'country_desk',
			'customer',
			'map',
			'Trading region and currency by country',
			'Sales targets are set by region; a customer may ask for another currency.',
			['trading_region', 'currency'],
			lookup('customer', 'country_desk', ['Country'], 'region', 'currency'),
			{ hold: 'locked', none: 'clear' }
		)
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
		cases('deal', [['Site survey needed', '450']], 'nothing'),
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
		cases(
			'customer',
			[
				['is blank(Trading name)', 'nothing'],
				['count(words(Trading name)) > 3', '2']
			],
			'1'
		),
		{ hold: 'locked', none: 'clear' }
	),
	rule(
		'expected_value',
		'lead',
		'derive',
		'Expected value by fit',
		'Glass area times a rate for each square metre; nothing where there is no fit.',
		['expected_value'],
		compute('lead', 'Glass area * Rate per m²(Fit)'),
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
		{
			kind: 'split',
			input: formula('contact', 'Full name as received'),
			at: 'first',
			separator: '',
			alone: 0
		}
	),
	rule(
		'names_whole',
		'contact',
		'derive',
		'Full name that arrives in the family name',
		'Some forms send the whole name in one field; it is split where it came in, once.',
		['given_name', 'family_name'],
		{
			kind: 'split',
			input: formula('contact', 'sent.Family name'),
			at: 'first',
			separator: '',
			alone: 1
		},
		{ guard: 'is blank(Full name as received) and is blank(sent.Given name)' }
	),
	rule(
		'greeting',
		'contact',
		'derive',
		'Greeting',
		'Letters and messages begin with it.',
		['greeting'],
		compose('contact', 'Dear {Given name}'),
		{ none: 'clear' }
	),
	rule(
		'phone_form',
		'customer',
		'derive',
		'Telephone number in one form',
		'Numbers are dialled from six countries, so they are kept with their country code.',
		['phone'],
		compute('customer', 'otherwise(phone number(sent.Phone, code(Country)), sent.Phone)')
	),
	{
		...rule(
			'fuels',
			'customer',
			'map',
			'Permitted fuels by country',
			'What every grower there may burn; permits of a single grower are added by hand and stay.',
			['permitted_fuels'],
			options('country', {
				netherlands: ['natural_gas', 'heat_pump', 'geothermal', 'residual_heat'],
				belgium: ['natural_gas', 'biogas', 'heat_pump'],
				germany: ['biogas', 'wood_chips', 'heat_pump', 'residual_heat'],
				france: ['natural_gas', 'biogas', 'wood_chips', 'heat_pump'],
				denmark: ['biogas', 'wood_chips', 'heat_pump', 'residual_heat'],
				poland: ['natural_gas', 'wood_chips', 'heat_pump'],
				slovenia: ['wood_chips', 'heat_pump', 'geothermal']
			})
		),
		outputs: [
			{ id: 'o1', field: 'permitted_fuels', hold: 'follow', none: 'next', adds: true }
		] satisfies Output[]
	},
	rule(
		'discount_limit',
		'deal',
		'categorize',
		'Discount limit by kind and size of the customer',
		'Large growers compare offers; spare parts are sold at the price of the list.',
		['discount_limit_percent'],
		table(
			'deal',
			'U',
			['Kind', 'Customer.Size class'],
			['discount_limit_percent'],
			`
			"New build" | "Micro", "Small" => 5
			"New build" | "Medium" => 8
			"New build" | "Large" => 10
			"Retrofit" | "Micro", "Small" => 5
			"Retrofit" | "Medium", "Large" => 7.5
			"Service" | - => 3
			"Spare parts" | - => 0
			"New build", "Retrofit" | null => 5
			null | - => null
		`
		),
		{ hold: 'locked' }
	),
	rule(
		'open_deals',
		'customer',
		'derive',
		'Open deals',
		'How many deals of the customer are neither won nor lost.',
		['open_deals'],
		compute('customer', 'count(deals[Stage in ("Enquiry", "Survey", "Quotation", "Negotiation")])'),
		{ hold: 'locked', none: 'clear' }
	),
	rule(
		'order_value',
		'customer',
		'derive',
		'Order value to date',
		'What the customer has ordered so far, discounts taken off.',
		['order_value_to_date'],
		compute('customer', 'otherwise(sum(deals[Stage = "Won"].Net amount), 0)'),
		{ hold: 'locked', none: 'clear' }
	),
	rule(
		'last_order',
		'customer',
		'derive',
		'Last order on',
		'The latest close date among the deals that were won.',
		['last_order_on'],
		compute('customer', 'max(deals[Stage = "Won"].Close date)'),
		{ hold: 'locked', none: 'clear' }
	),
	rule(
		'lead_customer',
		'lead',
		'map',
		'Customer by company as typed',
		'A lead of a grower we know belongs to that grower; where two have the name, somebody must look.',
		['customer'],
		match('lead', 'customer', ['trading_name', 'loose', 'Company as typed'])
	),
	rule(
		'lead_domain',
		'lead',
		'map',
		'Customer by e-mail domain',
		'Where the company is written some other way, the address often tells.',
		['customer'],
		match('lead', 'customer', ['e_mail', 'domain', 'E-mail'])
	),
	rule(
		'fair_desk',
		'lead',
		'default',
		'Trade-fair leads go to the fair desk',
		'They are typed in at the stand by whoever is free, and looked after by the desk.',
		['owner'],
		lookup('lead', 'channel_desk', ['Enquiry channel'], 'owner'),
		{ hold: 'once', moments: ['created'] }
	),
	rule(
		'district',
		'customer',
		'map',
		'Service district by country and postal code',
		'The district that drives out; nobody picks it by hand.',
		['service_district'],
		lookup('customer', 'district_postcodes', ['Country', 'Postal code'], 'district'),
		{ hold: 'locked', none: 'clear' }
	),
	rule(
		'engineer_district',
		'customer',
		'map',
		'Account engineer of the service district',
		'Whoever knows the district looks after the grower.',
		['account_engineer'],
		compute('customer', 'Service district.Engineer'),
		{ hold: 'locked' }
	),
	rule(
		'engineer_country',
		'customer',
		'map',
		'Account engineer of the country desk',
		'Where no district is known, the desk of the country answers.',
		['account_engineer'],
		lookup('customer', 'country_desk', ['Country'], 'engineer'),
		{ hold: 'locked', none: 'clear' }
	),
	rule(
		'deal_name',
		'deal',
		'derive',
		'Deal name from customer, kind and year',
		'Everybody finds a deal by the same words.',
		['name'],
		compose('deal', '{Customer.Trading name} {lower case(string(Kind))} {Close date.year}')
	),
	rule(
		'key_survey',
		'deal',
		'derive',
		'Open deals of a new key grower are surveyed',
		'A key grower gets a look at the site before anything is quoted.',
		['site_survey_needed'],
		compute('deal', 'if Stage in ("Won", "Lost") then null else true'),
		{
			each: 'customer',
			guard: 'Key grower',
			entering: true,
			none: 'leave',
			moments: ['created', 'changed']
		}
	),
	rule(
		'season_notice',
		'customer',
		'derive',
		'Season notice to the contacts',
		'Growers who asked for it are told when the service season opens, at most once in a quarter.',
		[],
		message(
			'customer',
			'contact',
			'E-mail',
			'Service season at {Customer.Trading name}',
			'{Greeting}, our service season opens soon. Your engineer is {Customer.Account engineer.Name}.',
			'quarter'
		),
		{ guard: 'Season notice', entering: true, moments: ['created', 'changed'] }
	),
	rule(
		'review',
		'deal',
		'derive',
		'Review reminder for an unusually large deal',
		'A deal above all that the grower ordered so far is looked at by its engineer.',
		[],
		message(
			'deal',
			null,
			'Customer.Account engineer.E-mail',
			'Please review {Name}',
			'{Name} is now {Amount} EUR, more than the {Customer.Order value to date} EUR that {Customer.Trading name} has ordered to date.'
		),
		{
			guard: 'Amount > Customer.Order value to date',
			entering: true,
			submittedOnly: true,
			moments: ['created', 'changed']
		}
	),
	rule(
		'vat',
		'customer',
		'validate',
		'VAT number with its check digits',
		'A wrong number makes an invoice void.',
		['vat_number'],
		check(
			'customer',
			'is blank(VAT number) or is vat number(VAT number)',
			'{VAT number} is no VAT number: it begins with its country, and its check digits must be right.'
		)
	),
	rule(
		'gln',
		'customer',
		'validate',
		'Location number with its check digit',
		'Carriers find the site by it.',
		['location_number'],
		check(
			'customer',
			'is blank(Location number) or is gln(Location number)',
			'{Location number} is no location number: it has 13 digits, and the last is its check digit.'
		)
	),
	rule(
		'postal',
		'customer',
		'validate',
		'Postal code as its country writes it',
		'Service districts go by it.',
		['postal_code'],
		check(
			'customer',
			'is postal code(Postal code, code(Country))',
			'{Postal code} is not how {Country} writes a postal code.',
			false
		)
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

/** The two rules on the size class: the lift comes first. */
const order = {
	'customer.size_class': ['size_lift:o1', 'size_class:o1'],
	'contact.given_name': ['names:o1', 'names_whole:o1'],
	'contact.family_name': ['names:o2', 'names_whole:o2'],
	'lead.customer': ['lead_customer:o1', 'lead_domain:o1'],
	'lead.owner': ['fair_desk:o1', 'lead_owner:o1'],
	'customer.account_engineer': ['engineer_district:o1', 'engineer_country:o1']
};
const setOf = (rules: Rule[], tables: ReferenceTable[]): RuleSet => ({
	rules,
	order: tables.length ? order : {},
	definitions: demoDefinitions,
	tables
});

/** The three releases of the demo, oldest first, with the note each was given. */
export const demoReleases: { note: string; set: RuleSet }[] = [
	{
		note: 'Size class, service plan, urgency, probability, freight and net amount.',
		set: setOf(first, [])
	},
	{
		note: 'Regions and currencies; stamps and counters on deals and leads.',
		set: setOf(second, [countryDesk])
	},
	{
		note: 'Contacts, owners, districts, customers of leads, messages; discounts, fuels and numbers checked.',
		set: setOf(third, demoTables)
	}
];

/** The draft: a limit moved, and a new rule with a mistake in it. */
export const demoDraft: RuleSet = setOf(
	[
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
	demoTables
);
