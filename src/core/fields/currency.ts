/**
 * Decimals of currencies after ISO 4217, where they are not two. Kept here as data so that the
 * browser and the server round alike; a test holds it against a package that carries the list.
 */
const DIGITS: Record<number, string> = {
	0: 'BIF CLP DJF GNF ISK JPY KMF KRW PYG RWF UGX UYI VND VUV XAF XOF XPF',
	3: 'BHD IQD JOD KWD LYD OMR TND',
	4: 'CLF UYW'
};

const EXCEPTIONS = new Map(
	Object.entries(DIGITS).flatMap(([d, codes]) => codes.split(' ').map((c) => [c, Number(d)]))
);

/** How many decimals amounts of a currency have (its ISO 4217 minor unit). */
export function currencyDigits(code: string): number {
	return EXCEPTIONS.get(code) ?? 2;
}
