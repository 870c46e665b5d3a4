/** Record types, fields and options of the demo workspace. Everything in it is made up. */
import type { Field, FieldType, Model, OptionList, RecordType } from '../src/core';

const slug = (label: string) =>
	label
		.toLowerCase()
		.normalize('NFD')
		.replace(/[\u0300-\u036f]/g, '')
		.replace(/%/g, 'percent')
		.replace(/[^a-z0-9]+/g, '_')
		.replace(/^_|_$/g, '');

/** `Label, Label=CODE` as an option list. */
function list(id: string, label: string, options: string): OptionList {
	return {
		id,
		label,
		options: options.split(', ').map((o) => {
			const [name, code] = o.split('=');
			return { id: slug(name), label: name, ...(code ? { code } : {}) };
		})
	};
}

const lists: OptionList[] = [
	list(
		'country',
		'Country',
		'Netherlands=NL, Germany=DE, France=FR, Belgium=BE, Denmark=DK, Poland=PL, Slovenia=SI'
	),
	list('size_class', 'Size class', 'Micro, Small, Medium, Large'),
	list('crop', 'Crop', 'Tomato, Pepper, Cucumber, Strawberry, Tulip, Rose, Orchid, Herbs'),
	list('fuel', 'Fuel', 'Natural gas, Biogas, Wood chips, Heat pump, Geothermal, Residual heat'),
	list('region', 'Trading region', 'Low Countries, Central, South, Baltic'),
	list('currency', 'Currency', 'EUR, DKK, PLN'),
	list('service_plan', 'Service plan', 'On call, Yearly check, Full care'),
	list('contact_role', 'Role', 'Owner, Grower, Technician, Buyer, Office'),
	list(
		'channel',
		'Enquiry channel',
		'Trade fair, Web form, Telephone, Word of mouth, Referral by grower, Newsletter, Open day'
	),
	list('urgency', 'Follow-up urgency', 'Same day, This week, This month'),
	list('fit', 'Fit', 'Strong, Fair, None'),
	list(
		'product',
		'Product',
		'Climate computer, Screens, Drip irrigation, Ebb floor, Fogging, LED lighting, Boiler house'
	),
	list('lead_status', 'Lead status', 'New, Contacted, Qualified, Not pursued'),
	list('deal_kind', 'Deal kind', 'New build, Retrofit, Service, Spare parts'),
	list('stage', 'Stage', 'Enquiry, Survey, Quotation, Negotiation, Won, Lost'),
	list('delivery_rule', 'Delivery rule', 'EXW, FCA, FAS, FOB, CFR, CIF, CPT, CIP, DAP, DPU, DDP'),
	list('freight_payer', 'Freight payer', 'Buyer, Seller'),
	list('supply_phases', 'Supply phases', 'One phase, Three phases')
];

/**
 * `Label: type extra` lines under a heading; `or blank` behind a link: its record may be deleted;
 * `key` behind a text: other systems know the record by it.
 */
function fields(text: string): Field[] {
	let group = '';
	const out: Field[] = [];
	for (const raw of text.trim().split('\n')) {
		const line = raw.trim();
		const m = /^(.+?): (\w+)(?: (.+))?$/.exec(line);
		if (!m) {
			group = line;
			continue;
		}
		const [, label, type, extra = ''] = m;
		const f: Field = { id: slug(label), label, group, type: type as FieldType };
		if (extra === 'key') f.key = true;
		if (type === 'choice' || type === 'choices') f.list = extra;
		else if (type === 'link') {
			const [link, inverse, blank] = extra.split(/ as | or /);
			f.target = link;
			if (blank) f.whenDeleted = 'blank';
			if (inverse) f.inverse = inverse;
		} else if (type === 'money') f.currency = extra || 'EUR';
		else if (type === 'number') {
			const [unit, places] = extra.split('/');
			if (unit) f.unit = unit;
			if (places) f.places = Number(places);
		}
		out.push(f);
	}
	return out;
}

function type(
	id: string,
	label: string,
	plural: string,
	title: string,
	columns: string,
	short: string,
	text: string
): RecordType {
	return {
		id,
		label,
		plural,
		title,
		columns: columns.split(' '),
		short: short.split(' '),
		fields: fields(text)
	};
}

const types: RecordType[] = [
	type(
		'customer',
		'Customer',
		'Customers',
		'trading_name',
		'trading_name country headcount size_class key_grower service_plan trading_region currency',
		'trading_name country headcount size_class phone key_grower service_plan',
		`Identity
		Trading name: text
		Registered name: text
		VAT number: text key
		Location number: text key
		Label lines: number /0
		Size
		Headcount: number
		Turnover: money EUR
		Balance sheet total: money EUR
		Size class: choice size_class
		Glass area: number m²
		Crops: choices crop
		Place
		Country: choice country
		Postal code: text
		Service district: link district
		Account engineer: link engineer as customers
		Trading region: choice region
		Currency: choice currency
		Permitted fuels: choices fuel
		Contact
		Phone: phone
		E-mail: email
		Details checked on: date
		Service
		Key grower: yesno
		Service plan: choice service_plan
		Service visits a year: number /0
		Season notice: yesno
		Business
		Open deals: number /0
		Order value to date: money EUR
		Last order on: date`
	),
	type(
		'contact',
		'Contact',
		'Contacts',
		'full_name_as_received',
		'full_name_as_received given_name family_name role email phone customer',
		'full_name_as_received email phone customer',
		`Name
		Full name as received: text
		Given name: text
		Family name: text
		Greeting: text
		Reach
		E-mail: email
		Phone: phone
		Work
		Customer: link customer as contacts or blank
		Role: choice contact_role
		Site code: text
		Delivery yard: text`
	),
	type(
		'lead',
		'Lead',
		'Leads',
		'company_as_typed',
		'company_as_typed enquiry_channel follow_up_urgency fit glass_area expected_value status owner',
		'company_as_typed enquiry_channel follow_up_urgency fit glass_area expected_value',
		`Who
		Full name as received: text
		Company as typed: text
		E-mail: email
		Customer: link customer as leads or blank
		Country: choice country
		Postal code: text
		Enquiry
		Enquiry channel: choice channel
		Follow-up urgency: choice urgency
		Crop: choice crop
		Product interest: choices product
		Glass area: number m²
		Worth
		Fit: choice fit
		Expected value: money EUR
		Progress
		Status: choice lead_status
		Status changed at: moment
		Owner: link engineer as leads`
	),
	type(
		'deal',
		'Deal',
		'Deals',
		'name',
		'name customer kind stage amount discount_percent net_amount probability close_date',
		'name customer kind stage amount close_date',
		`Deal
		Name: text
		Customer: link customer as deals
		Kind: choice deal_kind
		Stage
		Stage: choice stage
		Stage it came from: choice stage
		Stage before loss: choice stage
		Stage changed at: moment
		Times moved back: number /0
		Probability: percent
		Amounts
		Amount: money EUR
		Amount before the change: money EUR
		Discount limit %: percent
		Discount %: percent
		Net amount: money EUR
		Delivery
		Delivery rule: choice delivery_rule
		Freight paid by: choice freight_payer
		Site
		Site survey needed: yesno
		Survey fee: money EUR
		Heat pump: yesno
		Supply phases: choice supply_phases
		Electrical capacity: number kVA
		Closing
		Close date: date
		Fiscal quarter: text`
	),
	type(
		'engineer',
		'Sales engineer',
		'Sales engineers',
		'name',
		'name e_mail country',
		'name e_mail country',
		`Person
		Name: text
		E-mail: email key
		Country: choice country`
	),
	type(
		'district',
		'Service district',
		'Service districts',
		'name',
		'name country engineer',
		'name country engineer',
		`District
		Name: text key
		Country: choice country
		Engineer: link engineer as districts`
	)
];
for (const t of types)
	for (const key of ['columns', 'short'] as const)
		t[key] = t[key].map((id) => (id === 'email' ? 'e_mail' : id));

/** The model of the demo workspace. */
export const demoModel: Model = { types, lists, zone: 'Europe/Amsterdam', personType: 'engineer' };
