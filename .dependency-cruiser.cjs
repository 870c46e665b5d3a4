/** Dependencies point one way: routes → server, lib → core; core → nothing of ours. */
module.exports = {
	forbidden: [
		{
			name: 'core-stands-alone',
			severity: 'error',
			from: { path: '^src/core', pathNot: '\\.test\\.ts$|^src/core/testing' },
			to: { path: '^(src/(server|lib|routes|workers|runtime|cli)|demo)' }
		},
		{
			name: 'core-has-two-packages',
			comment: 'and, for identifiers alone, the libraries that know their check digits',
			severity: 'error',
			from: {
				path: '^src/core',
				pathNot: '\\.test\\.ts$|^src/core/testing|^src/core/identifiers'
			},
			to: {
				dependencyTypes: ['npm', 'npm-dev', 'core'],
				pathNot: 'node_modules/(decimal\\.js|re2js)'
			}
		},
		{
			name: 'identifiers-have-their-libraries',
			severity: 'error',
			from: { path: '^src/core/identifiers', pathNot: '\\.test\\.ts$' },
			to: {
				dependencyTypes: ['npm', 'npm-dev', 'core'],
				pathNot:
					'node_modules/(cdigit|fast-lei|ibantools|jsvat-next|libphonenumber-js|validator|@types/validator)'
			}
		},
		{
			name: 'server-knows-no-interface',
			severity: 'error',
			from: { path: '^src/server' },
			to: { path: '^src/(lib|routes)' }
		},
		{
			name: 'interface-reaches-server-by-type-only',
			severity: 'error',
			from: { path: '^src/(lib|workers)' },
			to: { path: '^src/server', dependencyTypesNot: ['type-only'] }
		},
		{
			name: 'application-knows-no-demo',
			severity: 'error',
			from: { path: '^src', pathNot: '\\.test\\.ts$|testing' },
			to: { path: '^demo' }
		},
		{ name: 'no-circles', severity: 'error', from: { path: '^src' }, to: { circular: true } }
	],
	options: {
		doNotFollow: { path: 'node_modules' },
		tsPreCompilationDeps: true,
		tsConfig: { fileName: 'tsconfig.json' },
		enhancedResolveOptions: { extensions: ['.ts', '.js', '.svelte', '.json'] }
	}
};
