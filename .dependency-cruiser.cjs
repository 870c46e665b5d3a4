/**
 * What the folder tree says, held. The core has one door and folders in one order, each built on
 * those before it; what shows (lib, routes) stands on what keeps (server), never the other way; the
 * command line needs neither; and SQL has one home.
 */
const CORE = [
	'value',
	'document',
	'text',
	'fields',
	'identifiers',
	'feel',
	'conditions',
	'tables',
	'spots',
	'kinds',
	'plan',
	'settle',
	'explain',
	'trials',
	'compare',
	'select',
	'pilot',
	'rehearse',
	'check',
	'cover',
	'edit',
	'bundle',
	'suggest'
];
const TEST = '\\.test\\.ts$';

module.exports = {
	forbidden: [
		...CORE.slice(0, -1).map((folder, i) => ({
			name: `core-order-${folder}`,
			comment: `core/${folder} stands below ${CORE.slice(i + 1).join(', ')}`,
			severity: 'error',
			from: { path: `^src/core/${folder}/`, pathNot: TEST },
			to: { path: `^src/core/(${CORE.slice(i + 1).join('|')})/` }
		})),
		{
			name: 'core-has-its-folders',
			comment: 'a new folder of the core has a place in the order above',
			severity: 'error',
			from: {},
			to: {
				path: '^src/core/',
				pathNot: `^src/core/(index\\.ts$|example\\.test\\.ts$|(${CORE.join('|')})/)`
			}
		},
		{
			name: 'core-has-one-door',
			comment: 'core/index.ts, and feel/language for editors of formulas',
			severity: 'error',
			from: { path: '^(src|demo)/', pathNot: `^src/core/|${TEST}` },
			to: { path: '^src/core/', pathNot: '^src/core/(index|feel/language)\\.ts$' }
		},
		{
			name: 'core-goes-in-by-no-door-of-its-own',
			severity: 'error',
			from: { path: '^src/core/', pathNot: TEST },
			to: { path: '^src/core/index\\.ts$' }
		},
		{
			name: 'core-stands-alone',
			severity: 'error',
			from: { path: '^src/core', pathNot: TEST },
			to: { path: '^(src/(server|door|lib|routes|workers|runtime|cli)|demo|tests)' }
		},
		{
			name: 'core-has-few-packages',
			comment:
				'decimals, patterns, digests; and, for identifiers alone, the libraries that know their check digits',
			severity: 'error',
			from: { path: '^src/core', pathNot: `${TEST}|^src/core/identifiers` },
			to: {
				dependencyTypes: ['npm', 'npm-dev', 'core'],
				pathNot: 'node_modules/(decimal\\.js|re2js|@noble/hashes)'
			}
		},
		{
			name: 'identifiers-have-their-libraries',
			severity: 'error',
			from: { path: '^src/core/identifiers', pathNot: TEST },
			to: {
				dependencyTypes: ['npm', 'npm-dev', 'core'],
				pathNot:
					'node_modules/(cdigit|fast-lei|ibantools|jsvat-next|libphonenumber-js|validator|@types/validator)'
			}
		},
		{
			name: 'door-knows-the-core-alone',
			severity: 'error',
			from: { path: '^src/door', pathNot: TEST },
			to: { path: '^(src/(server|lib|routes|workers|runtime|cli)|demo)' }
		},
		{
			name: 'server-knows-no-interface',
			severity: 'error',
			from: { path: '^src/server' },
			to: { path: '^src/(lib|routes)' }
		},
		{
			name: 'command-line-needs-no-server',
			severity: 'error',
			from: { path: '^src/cli' },
			to: { path: '^src/(server|lib|routes|workers)' }
		},
		{
			name: 'interface-reaches-server-by-type-only',
			severity: 'error',
			from: { path: '^src/(lib|workers)' },
			to: { path: '^src/server', dependencyTypesNot: ['type-only'] }
		},
		{
			name: 'lib-knows-no-routes',
			severity: 'error',
			from: { path: '^src/lib' },
			to: { path: '^src/routes' }
		},
		{
			name: 'sql-has-one-home',
			comment:
				'the driver is imported in server/db alone; queries stand there too (see sql.test.ts)',
			severity: 'error',
			from: { path: '^src', pathNot: `^src/server/db/|${TEST}` },
			to: { path: 'node_modules/(pg|@types/pg)', dependencyTypesNot: ['type-only'] }
		},
		{
			name: 'application-knows-no-demo-and-no-furniture-of-tests',
			severity: 'error',
			from: { path: '^src', pathNot: TEST },
			to: { path: '^(demo|tests)' }
		},
		{
			name: 'no-product-file-imports-a-test',
			severity: 'error',
			from: { path: '^(src|demo|tests|bench)' },
			to: { path: TEST }
		},
		{
			name: 'no-circles',
			comment: 'but for the list of conditions: a condition holds conditions',
			severity: 'error',
			from: { path: '^src', pathNot: '^src/lib/conditions/' },
			to: { circular: true }
		}
	],
	options: {
		doNotFollow: { path: 'node_modules' },
		tsPreCompilationDeps: true,
		tsConfig: { fileName: 'tsconfig.json' },
		enhancedResolveOptions: { extensions: ['.ts', '.js', '.svelte', '.json'] }
	}
};
