/** The namespaces of the DMN versions that are read and written, and of what this program adds. */

/** Versions of the exchange format; their models are the same for what is written here. */
export const VERSIONS = {
	'1.3': { model: 'https://www.omg.org/spec/DMN/20191111/MODEL/' },
	'1.4': { model: 'https://www.omg.org/spec/DMN/20211108/MODEL/' },
	'1.5': { model: 'https://www.omg.org/spec/DMN/20230324/MODEL/' }
} as const;
export type DmnVersion = keyof typeof VERSIONS;
export const DMN_VERSIONS = Object.keys(VERSIONS) as DmnVersion[];

/** Elements of our own, in which a rule stands whole: what DMN has no place for is not lost for us. */
export const EXTENSION = {
	name: 'Rigid',
	uri: 'https://rigid-rule.example/dmn/1',
	prefix: 'rigid',
	xml: { tagAlias: 'lowerCase' },
	types: ['Rule', 'Definition'].map((name) => ({
		name,
		superClass: ['Element'],
		properties: [
			{ name: 'format', isAttr: true, type: 'Integer' },
			{ name: 'body', isBody: true, type: 'String' }
		]
	})),
	enumerations: [],
	associations: []
};
