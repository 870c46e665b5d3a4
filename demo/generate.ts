/**
 * Makes the records of the demo workspace from a seed: the same ones every time. The flaws of real
 * data are in them on purpose: blanks, double spaces, one-word names, lower-case company names,
 * unknown postal codes, near doubles, and values from before a rule existed.
 */
import type { JsonValue } from '../src/core';

export type DemoRecord = Record<string, JsonValue>;

/** A small seeded generator (mulberry32), uniform in [0, 1). */
export function seeded(seed: number): () => number {
	let a = seed >>> 0;
	return () => {
		a = (a + 0x6d2b79f5) >>> 0;
		let t = a;
		t = Math.imul(t ^ (t >>> 15), t | 1);
		t ^= t + Math.imul(t ^ (t >>> 7), t | 61);
		return ((t ^ (t >>> 14)) >>> 0) / 4294967296;
	};
}

const PLACES =
	'Brackwater, Saltmarsh, North Quay, Dike Lane, Peatfield, Millrace, Oystercatcher, Windhover, Long Polder, Eelgrass, Stonebridge, Lapwing, Reedbank, Sluice, Tern Island, Old Harbour, Fenside, Greywater, Kingfisher, Lowland, Marram, Heron, Quillback, Tidewater, Alderbrook, Sandpiper, Wickwater, Barley Hill, Copperhouse, Two Mills'.split(
		', '
	);
const CROPS: [string, string][] = [
	['Tulips', 'tulip'],
	['Roses', 'rose'],
	['Tomatoes', 'tomato'],
	['Peppers', 'pepper'],
	['Cucumbers', 'cucumber'],
	['Strawberries', 'strawberry'],
	['Orchids', 'orchid'],
	['Herbs', 'herbs'],
	['Rose Gardens', 'rose'],
	['Growers', 'tomato']
];
const GIVEN =
	'Ilse, Oskar, Marit, Joren, Tessel, Bram, Katrin, Luc, Amelie, Piotr, Zofia, Freja, Anders, Noor, Wout, Elske, Hanne, Matteo, Greta, Tomasz, Liv, Sander, Ines, Jurre'.split(
		', '
	);
const FAMILY =
	'van Dorenbos, Heidekamp, Marchandise, Kwiatkowicz, Brunsgaard, ter Veenstra, Lindqvart, Ostermoor, Delacroy, Zielonko, Vestermark, de Wilgaard, Hallebrandt, Groenvelder, Szymczyk, Aalborn, Pontvieux, Rietveldt'.split(
		', '
	);
const COUNTRIES: [string, number, () => string][] = [
	['netherlands', 0.4, () => '#### @@'],
	['germany', 0.18, () => '#####'],
	['france', 0.13, () => '#####'],
	['belgium', 0.12, () => '####'],
	['denmark', 0.09, () => '####'],
	['poland', 0.08, () => '##-###']
];
export const ENGINEERS = [
	'Ida Faro',
	'Jonas Weverling',
	'Mieke Rozendal',
	'Till Ackermoor',
	'Claire Vauclair',
	'Sofie Brandsma',
	'Rune Holtegaard',
	'Ewa Malinko',
	'Hugo Castelain',
	'Lotte Vinkhof',
	'Niels Strandby',
	'Fair desk'
];

const QUARTERS = ['', 'East', 'West', 'Vale', 'Bridge', 'Holm', 'Croft', 'Mere', 'End', 'Cross'];

/** Trading names, each given once but for a few doubles, as there are in any list of customers. */
function tradingNames() {
	const taken = new Set<string>();
	return {
		next(place: string, crop: string, i: number): string {
			const all = QUARTERS.map((q) => [place, q, crop].filter(Boolean).join(' '));
			const free = i % 60 === 59 ? all[0] : all.find((n) => !taken.has(n));
			const name = free ?? `${place} ${crop} ${i}`;
			taken.add(name);
			return name;
		}
	};
}

/** How a company is written in an e-mail address. */
const domain = (company: string) =>
	`${company
		.toLowerCase()
		.replace(/[^a-z0-9]+/g, '-')
		.replace(/^-|-$/g, '')}.example`;

export interface DemoSizes {
	customers: number;
	contacts: number;
	leads: number;
	deals: number;
}
export const DEMO_SIZES: DemoSizes = { customers: 1200, contacts: 2500, leads: 3000, deals: 4000 };

/** The inputs of every record of a type, as people would have typed them. Links are numbers from 1 up. */
export function* generate(type: string, sizes: DemoSizes, seed = 20261123): Generator<DemoRecord> {
	const rnd = seeded(seed + type.length * 7919 + type.charCodeAt(0));
	const pick = <T>(xs: readonly T[]): T => xs[Math.floor(rnd() * xs.length)];
	const chance = (p: number) => rnd() < p;
	const int = (lo: number, hi: number) => lo + Math.floor(rnd() * (hi - lo + 1));
	const fill = (mask: string) =>
		mask
			.replace(/#/g, () => String(int(0, 9)))
			.replace(/@/g, () => String.fromCharCode(65 + int(0, 25)));
	const country = () => {
		let r = rnd();
		for (const [c, p] of COUNTRIES) if ((r -= p) < 0) return c;
		return 'netherlands';
	};
	const postal = (c: string | null) =>
		c === null || chance(0.06)
			? chance(0.3)
				? '99999X'
				: null
			: fill(COUNTRIES.find(([x]) => x === c)![2]());
	// log-normal: many small, few large
	const skewed = (mid: number, spread: number) =>
		mid * Math.exp(spread * (rnd() + rnd() + rnd() - 1.5) * 1.6);
	const date = (from: number, to: number) =>
		new Date(Date.UTC(2026, 10, 23) + int(from, to) * 86_400_000).toISOString().slice(0, 10);
	const name = () =>
		chance(0.05) ? pick(GIVEN) : `${pick(GIVEN)}${chance(0.08) ? '  ' : ' '}${pick(FAMILY)}`;
	const email = (who: string) => `${who.toLowerCase().replace(/[^a-z]+/g, '.')}@grower.example`;

	if (type === 'engineer') {
		for (const [i, n] of ENGINEERS.entries())
			yield {
				name: n,
				e_mail: `${n.toLowerCase().replace(' ', '.')}@quillmere.example`,
				country: COUNTRIES[i % 6][0]
			};
		return;
	}
	if (type === 'district') {
		for (const [i, [c]] of COUNTRIES.entries())
			for (const side of ['North', 'South'])
				yield {
					name: `${side} ${c[0].toUpperCase()}${c.slice(1)}`,
					country: c,
					engineer: String((i % 11) + 1)
				};
		return;
	}
	if (type === 'customer') {
		const names = tradingNames();
		for (let i = 0; i < sizes.customers; i++) {
			const [crop, cropId] = pick(CROPS);
			let trading =
				i === 0
					? 'Brackwater Tulips'
					: i === 1
						? 'Brackwater Tulip'
						: names.next(pick(PLACES), crop, i);
			if (i > 1 && chance(0.06)) trading = trading.toLowerCase();
			if (i > 1 && chance(0.04)) trading = trading.replace(' ', '  ');
			const c = i === 0 ? 'netherlands' : chance(0.03) ? null : country();
			const headcount =
				i === 0 ? 48 : chance(0.11) ? null : Math.max(0, Math.round(skewed(26, 1.25)));
			const drawn = chance(0.2) ? null : Math.round((headcount ?? 20) * skewed(130_000, 0.5));
			// the first is the one every page begins with: its figures leave the class to its headcount
			const turnover = i === 0 ? 1_900_000 : drawn;
			const glass = chance(0.08) ? null : Math.round(skewed(9000, 0.9) / 10) * 10;
			yield {
				trading_name: trading,
				registered_name: chance(0.5) ? `${trading} Ltd` : null,
				headcount: headcount === null ? null : String(headcount),
				turnover: turnover === null ? null : String(turnover),
				balance_sheet_total:
					turnover === null || chance(0.2) ? null : String(Math.round(turnover * (0.5 + rnd()))),
				glass_area: glass === null ? null : String(glass),
				crops: chance(0.1) ? null : chance(0.2) ? [cropId, 'herbs'] : [cropId],
				country: c,
				postal_code: i === 0 ? '2671 KB' : postal(c),
				phone: chance(0.15) ? null : fill('+31 ## ### ####'),
				e_mail: chance(0.3) ? null : `office@${domain(trading)}`,
				key_grower: i === 0 ? true : chance(0.25) ? null : chance(0.3),
				season_notice: chance(0.4) ? null : chance(0.5)
			};
		}
		return;
	}
	if (type === 'contact') {
		for (let i = 0; i < sizes.contacts; i++) {
			const n = name();
			yield {
				full_name_as_received: chance(0.04) ? n.toLowerCase() : n,
				e_mail: chance(0.2) ? null : email(n),
				phone: chance(0.4) ? null : fill('+31 6 ## ## ## ##'),
				customer: String(int(1, sizes.customers)),
				role: chance(0.2) ? null : pick(['owner', 'grower', 'technician', 'buyer', 'office']),
				site_code: chance(0.5)
					? null
					: `${pick(['NL', 'DE', 'FR', 'BE'])}${int(1, 9)}-Yard ${int(1, 4)}`
			};
		}
		return;
	}
	if (type === 'lead') {
		// many leads come from customers: of those the name as somebody typed it, or an address alone
		const known = [...generate('customer', sizes, seed)].map((c) => String(c.trading_name));
		const own = seeded(seed + 77);
		for (let i = 0; i < sizes.leads; i++) {
			const c = chance(0.05) ? null : country();
			const [crop, cropId] = pick(CROPS);
			const drawn = `${pick(PLACES)} ${crop}`;
			const from = own() < 0.55 && known.length ? known[Math.floor(own() * known.length)] : null;
			const byAddress = own() < 0.2;
			const company = from && !byAddress ? from : own() < 0.4 ? `${drawn} & Co` : drawn;
			const who = name();
			yield {
				e_mail:
					own() < 0.4
						? null
						: `${who.toLowerCase().replace(/[^a-z]+/g, '.')}@${from ? domain(from) : 'grower.example'}`,
				full_name_as_received: who,
				company_as_typed: chance(0.3)
					? company.toLowerCase()
					: chance(0.1)
						? ` ${company.replace(' ', '  ')}`
						: company,
				country: c,
				postal_code: postal(c),
				enquiry_channel: chance(0.06)
					? null
					: pick([
							'trade_fair',
							'web_form',
							'web_form',
							'telephone',
							'word_of_mouth',
							'referral_by_grower',
							'newsletter',
							'open_day'
						]),
				crop: chance(0.2) ? null : cropId,
				product_interest: chance(0.2)
					? null
					: chance(0.3)
						? ['climate_computer', 'screens']
						: [pick(['screens', 'drip_irrigation', 'fogging', 'led_lighting', 'boiler_house'])],
				glass_area: chance(0.2) ? null : String(Math.round(skewed(6000, 0.9) / 10) * 10),
				fit: chance(0.25) ? null : pick(['strong', 'fair', 'fair', 'none']),
				status: pick(['new', 'contacted', 'contacted', 'qualified', 'not_pursued']),
				owner: chance(0.1) ? null : String(int(1, 12))
			};
		}
		return;
	}
	for (let i = 0; i < sizes.deals; i++) {
		const kind = pick(['new_build', 'retrofit', 'service', 'service', 'spare_parts']);
		const survey = chance(0.4) ? null : chance(0.4);
		yield {
			name: `${pick(PLACES)} ${kind.replace('_', ' ')} ${2024 + int(0, 2)}`,
			customer: String(int(1, sizes.customers)),
			kind,
			stage: pick([
				'enquiry',
				'survey',
				'quotation',
				'quotation',
				'negotiation',
				'won',
				'won',
				'lost'
			]),
			amount: chance(0.08)
				? null
				: String(
						Math.round(
							skewed(kind === 'new_build' ? 240_000 : kind === 'retrofit' ? 60_000 : 4200, 0.7) *
								100
						) / 100
					),
			discount_percent: chance(0.6) ? null : String(pick([2, 3, 5, 7.5, 10, 12])),
			delivery_rule: chance(0.2)
				? null
				: pick(['exw', 'fca', 'fob', 'cpt', 'cip', 'dap', 'dap', 'ddp']),
			site_survey_needed: survey,
			heat_pump: chance(0.6) ? null : chance(0.4),
			electrical_capacity: chance(0.6) ? null : String(int(20, 630)),
			close_date: chance(0.1) ? null : date(-300, 240)
		};
	}
}
