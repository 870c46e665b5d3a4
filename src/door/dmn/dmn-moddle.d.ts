/** What is used of dmn-moddle, which brings no types. */
declare module 'dmn-moddle' {
	export interface ModdleElement {
		$type: string;
		[property: string]: unknown;
	}
	export class DmnModdle {
		constructor(packages?: Record<string, unknown>);
		create(type: string, props: object): ModdleElement;
		fromXML(
			xml: string,
			root?: string
		): Promise<{ rootElement: ModdleElement; warnings: { message: string }[] }>;
		toXML(element: ModdleElement, options?: { format?: boolean }): Promise<{ xml: string }>;
	}
}
