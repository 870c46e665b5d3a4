/** The trials of the demo workspace: what the released rules are held to. */
import type { JsonValue, Trial } from '../src/core';

const trials: Trial[] = [];

function trial(
	type: string,
	name: string,
	was: Record<string, JsonValue> | null,
	sent: Record<string, JsonValue>,
	expect: Record<string, JsonValue>,
	entryPoint: Trial['entryPoint'] = 'full',
	near?: Trial['near']
) {
	trials.push({
		id: `t${trials.length + 1}`,
		name,
		type,
		was,
		sent: Object.entries(sent),
		entryPoint,
		at: '2026-11-23T09:00:00.000Z',
		person: null,
		...(near ? { near } : {}),
		expect: Object.entries(expect).map(([field, value]) => ({ field, value }))
	});
}

const grower = {
	trading_name: 'Brackwater Tulips',
	country: 'netherlands',
	headcount: '48',
	size_class: 'small',
	label_lines: '1',
	trading_region: 'low_countries',
	currency: 'eur'
};

const sizes: [string | null, string | null][] = [
	['0', 'micro'],
	['9', 'micro'],
	['9.5', 'micro'],
	['10', 'small'],
	['11', 'small'],
	['49', 'small'],
	['50', 'medium'],
	['51', 'medium'],
	['249', 'medium'],
	['250', 'large'],
	['251', 'large'],
	['18000', 'large'],
	[null, null],
	['-1', null]
];
for (const [headcount, size] of sizes)
	trial(
		'customer',
		headcount === null ? 'Blank headcount gives no size class' : `Headcount ${headcount}`,
		grower,
		{ headcount },
		{ size_class: size }
	);
trial(
	'customer',
	'Another phone number leaves the size class',
	grower,
	{ phone: '+31 20 794 0311' },
	{ size_class: 'small', details_checked_on: '2026-11-23' }
);
trial(
	'customer',
	'A size class sent by import is set aside',
	grower,
	{ size_class: 'large' },
	{ size_class: 'small' },
	'import'
);

// Commission Recommendation 2003/361/EC: turnover and balance sheet must both exceed to lift a class
const figures: [string, string | null, string | null, string][] = [
	['9', '2000000', '9000000', 'micro'],
	['9', '2000001', '2000001', 'small'],
	['49', '10000000', '90000000', 'small'],
	['49', '10000001', '10000001', 'medium'],
	['249', '50000000', '90000000', 'medium'],
	['249', '50000001', '43000000', 'medium'],
	['249', '50000001', '43000001', 'large'],
	['9', '60000000', null, 'micro']
];
for (const [headcount, turnover, balance_sheet_total, size] of figures)
	trial(
		'customer',
		`Headcount ${headcount}, turnover ${turnover ?? 'blank'}, balance sheet ${balance_sheet_total ?? 'blank'}`,
		grower,
		{ headcount, turnover, balance_sheet_total },
		{ size_class: size }
	);

trial(
	'customer',
	'Fuels of the country come and go, a permit given by hand stays',
	{
		...grower,
		permitted_fuels: ['natural_gas', 'heat_pump', 'geothermal', 'residual_heat', 'wood_chips']
	},
	{ country: 'belgium' },
	{ permitted_fuels: ['wood_chips', 'natural_gas', 'biogas', 'heat_pump'] }
);
trial(
	'customer',
	'A telephone number as it is dialled at home',
	grower,
	{ phone: '020 794 0311' },
	{ phone: '+31207940311' }
);
const marram = {
	type: 'customer',
	id: '7',
	values: {
		trading_name: 'Marram Roses',
		country: 'netherlands',
		size_class: 'medium',
		e_mail: 'office@marram-roses.example',
		order_value_to_date: '20000',
		account_engineer: '3'
	}
};
const sizedLimits: [kind: string, size: string | null, limit: string | null][] = [
	['new_build', 'small', '5'],
	['new_build', 'medium', '8'],
	['new_build', 'large', '10'],
	['retrofit', 'medium', '7.5'],
	['retrofit', null, '5'],
	['service', 'large', '3'],
	['spare_parts', 'micro', '0']
];
for (const [kind, size_class, limit] of sizedLimits)
	trial(
		'deal',
		`Discount limit of ${kind.replace('_', ' ')} for a ${size_class ?? 'customer of unknown size'}`,
		null,
		{ kind, customer: '7' },
		{ discount_limit_percent: limit },
		'full',
		[{ ...marram, values: { ...marram.values, size_class } }]
	);
trial(
	'deal',
	'A deal is named after its customer, kind and year',
	null,
	{ customer: '7', kind: 'spare_parts', close_date: '2027-02-01' },
	{ name: 'Marram Roses spare parts 2027' },
	'full',
	[marram]
);
trial(
	'deal',
	'Without a close date the name ends with the kind',
	null,
	{ customer: '7', kind: 'retrofit' },
	{ name: 'Marram Roses retrofit' },
	'api',
	[marram]
);
trial(
	'lead',
	'A company typed in lower case, with a space too many',
	null,
	{ company_as_typed: 'marram  roses' },
	{ customer: '7' },
	'full',
	[marram]
);
trial(
	'lead',
	'A company nobody knows, and an address of a customer',
	null,
	{ company_as_typed: 'M. Roses & daughters', e_mail: 'ilse@marram-roses.example' },
	{ customer: '7' },
	'import',
	[marram]
);
trial(
	'lead',
	'Two customers of one name: nobody is taken',
	null,
	{ company_as_typed: 'Marram Roses', e_mail: 'ilse@marram-roses.example' },
	{ customer: null },
	'full',
	[marram, { ...marram, id: '8' }]
);
trial(
	'lead',
	'A trade-fair lead goes to the fair desk',
	null,
	{ enquiry_channel: 'trade_fair' },
	{ owner: '12' }
);
const districts = [
	{ type: 'district', id: '1', values: { name: 'North Netherlands', engineer: '1' } },
	{ type: 'district', id: '2', values: { name: 'South Netherlands', engineer: '1' } }
];
trial(
	'customer',
	'A postal code leads to its district, and the district to its engineer',
	grower,
	{ postal_code: '2671 KB' },
	{ service_district: '2', account_engineer: '1' },
	'full',
	districts
);
trial(
	'customer',
	'Without a postal code the engineer is that of the country desk',
	{ ...grower, postal_code: '2671 KB', service_district: '2', account_engineer: '1' },
	{ postal_code: null },
	{ service_district: null, account_engineer: '2' },
	'full',
	districts
);
trial(
	'customer',
	'An engineer sent by import is set aside',
	{ ...grower, postal_code: '2671 KB', service_district: '2', account_engineer: '1' },
	{ account_engineer: '9' },
	{ account_engineer: '1' },
	'import',
	districts
);

trial(
	'contact',
	'A full name that arrives in the family name',
	null,
	{ family_name: 'Ilse van Dorenbos' },
	{ given_name: 'Ilse', family_name: 'van Dorenbos' }
);
trial(
	'contact',
	'A family name of two words beside its given name stays',
	null,
	{ given_name: 'Ilse', family_name: 'van Dorenbos' },
	{ given_name: 'Ilse', family_name: 'van Dorenbos' }
);

for (const [country, region, currency] of [
	['netherlands', 'low_countries', 'eur'],
	['belgium', 'low_countries', 'eur'],
	['germany', 'central', 'eur'],
	['france', 'south', 'eur'],
	['denmark', 'baltic', 'dkk'],
	['poland', 'central', 'pln']
])
	trial(
		'customer',
		`New customer in ${country[0].toUpperCase()}${country.slice(1)}`,
		null,
		{ trading_name: 'Saltmarsh Peppers', country },
		{ trading_region: region, currency }
	);

trial('customer', 'Key grower ticked', grower, { key_grower: true }, { service_plan: 'full_care' });
trial(
	'customer',
	'Key grower unticked',
	{ ...grower, key_grower: true, service_plan: 'full_care' },
	{ key_grower: false },
	{ service_plan: 'yearly_check' }
);
trial(
	'customer',
	'Plan chosen by hand stays when something else changes',
	{ ...grower, key_grower: true, service_plan: 'on_call' },
	{ turnover: '100' },
	{ service_plan: 'on_call' }
);
trial(
	'customer',
	'Plan chosen after the tick is kept',
	grower,
	{ key_grower: true, service_plan: 'on_call' },
	{ service_plan: 'on_call' }
);
trial(
	'customer',
	'A name of four words takes two label lines',
	null,
	{ trading_name: 'North Quay Rose Gardens' },
	{ label_lines: '2' }
);

for (const [channel, urgency] of [
	['trade_fair', 'same_day'],
	['web_form', 'this_week'],
	['telephone', 'same_day'],
	['word_of_mouth', 'this_week'],
	['referral_by_grower', 'same_day'],
	['newsletter', 'this_month'],
	['open_day', 'this_week']
])
	trial(
		'lead',
		`Lead by ${channel.replaceAll('_', ' ')}`,
		null,
		{ company_as_typed: 'saltmarsh peppers', enquiry_channel: channel },
		{ follow_up_urgency: urgency }
	);
trial(
	'lead',
	'Strong fit is valued at 42 a square metre',
	{ company_as_typed: 'dike lane herbs', glass_area: '1000' },
	{ fit: 'strong' },
	{ expected_value: '42000' }
);
trial(
	'lead',
	'Fair fit is valued at 25 a square metre',
	{ company_as_typed: 'dike lane herbs', glass_area: '1000' },
	{ fit: 'fair' },
	{ expected_value: '25000' }
);
trial(
	'lead',
	'No fit leaves the value somebody negotiated',
	{ company_as_typed: 'dike lane herbs', glass_area: '1000', expected_value: '300' },
	{ fit: 'none' },
	{ expected_value: '300' }
);
trial(
	'lead',
	'Status stamped when it changes',
	{ status: 'new' },
	{ status: 'contacted' },
	{ status_changed_at: '2026-11-23T09:00:00.000Z' }
);

for (const [rule, payer] of [
	['exw', 'buyer'],
	['fca', 'buyer'],
	['fas', 'buyer'],
	['fob', 'buyer'],
	['cfr', 'seller'],
	['cif', 'seller'],
	['cpt', 'seller'],
	['cip', 'seller'],
	['dap', 'seller'],
	['dpu', 'seller'],
	['ddp', 'seller']
])
	trial(
		'deal',
		`Freight under ${rule.toUpperCase()}`,
		{ name: 'Screens 2026' },
		{ delivery_rule: rule },
		{ freight_paid_by: payer }
	);
trial(
	'deal',
	'Net amount after a discount of 7.5 %',
	{ name: 'Screens 2026', amount: '1999.99' },
	{ discount_percent: '7.5' },
	{ net_amount: '1849.99' }
);
trial(
	'deal',
	'Moving back is counted',
	{ stage: 'negotiation', times_moved_back: '1' },
	{ stage: 'survey' },
	{ times_moved_back: '2', stage_it_came_from: 'negotiation', probability: '25' }
);
trial(
	'deal',
	'Moving forward is not counted',
	{ stage: 'survey', times_moved_back: '1' },
	{ stage: 'quotation' },
	{ times_moved_back: '1', probability: '50' }
);
trial(
	'deal',
	'The stage before loss is kept',
	{ stage: 'quotation' },
	{ stage: 'lost' },
	{ stage_before_loss: 'quotation', probability: '0' }
);
trial(
	'deal',
	'A survey has its fee',
	{ name: 'Fogging' },
	{ site_survey_needed: true },
	{ survey_fee: '450' }
);
trial(
	'deal',
	'No survey, no fee',
	{ name: 'Fogging', site_survey_needed: true, survey_fee: '450' },
	{ site_survey_needed: false },
	{ survey_fee: null }
);
trial(
	'deal',
	'A heat pump asks for three phases',
	{ name: 'Heat' },
	{ heat_pump: true },
	{ supply_phases: 'three_phases' }
);
trial(
	'deal',
	'Phases somebody gave are left',
	{ name: 'Heat', supply_phases: 'one_phase' },
	{ heat_pump: true },
	{ supply_phases: 'one_phase' }
);
trial(
	'deal',
	'Closing in December is the fourth quarter',
	{ name: 'Heat' },
	{ close_date: '2026-12-01' },
	{ fiscal_quarter: '2026 Q4' }
);

trial(
	'contact',
	'A name of three words',
	null,
	{ full_name_as_received: 'Ilse  van Dorenbos' },
	{ given_name: 'Ilse', family_name: 'van Dorenbos', greeting: 'Dear Ilse' }
);
trial(
	'contact',
	'A name of one word',
	null,
	{ full_name_as_received: 'Oskar' },
	{ given_name: 'Oskar', family_name: null }
);
trial(
	'contact',
	'Yard behind the dash',
	null,
	{ site_code: 'NL3-Yard 2' },
	{ delivery_yard: 'Yard 2' }
);

trial(
	'lead',
	'Fogging is left behind when the crop becomes herbs',
	{ crop: 'tomato', product_interest: ['fogging', 'screens'] },
	{ crop: 'herbs' },
	{ product_interest: ['screens'] }
);
trial(
	'lead',
	'Any product for tomatoes',
	{ crop: 'herbs' },
	{ crop: 'tomato', product_interest: ['fogging'] },
	{ product_interest: ['fogging'] }
);

/** All trials of the demo. */
export const demoTrials: Trial[] = trials;
