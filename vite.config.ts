import { sveltekit } from '@sveltejs/kit/vite';
import { svelte } from '@sveltejs/vite-plugin-svelte';
import tailwindcss from '@tailwindcss/vite';
import type { Plugin } from 'vite';
import { defineConfig } from 'vitest/config';

const alias = {
	$core: new URL('./src/core', import.meta.url).pathname,
	$server: new URL('./src/server', import.meta.url).pathname,
	$door: new URL('./src/door', import.meta.url).pathname,
	$demo: new URL('./demo', import.meta.url).pathname
};

/** As it stands in `src/lib/work/worker.ts`. */
const WORKER = "new URL('../../workers/draft.worker.ts', import.meta.url)";

/**
 * What runs beside pages is built with them, so that both load the core from the same files: it travels once. Left to
 * itself, a worker is a build of its own, with the whole core in it again.
 */
function workerOfPages(): Plugin {
	let worker = '';
	return {
		name: 'worker-of-pages',
		apply: 'build',
		enforce: 'pre',
		applyToEnvironment: (environment) => environment.config.consumer === 'client',
		buildStart() {
			const id = new URL('./src/workers/draft.worker.ts', import.meta.url).pathname;
			worker = this.emitFile({ type: 'chunk', id, name: 'draft.worker' });
		},
		transform(code, id) {
			if (!id.endsWith('/src/lib/work/worker.ts')) return;
			if (!code.includes(WORKER)) this.error('The worker is not started where it was.');
			return code.replace(WORKER, `import.meta.ROLLUP_FILE_URL_${worker}`);
		}
	};
}

export default defineConfig({
	plugins: [workerOfPages(), tailwindcss(), sveltekit()],
	build: { chunkSizeWarningLimit: 700 },
	worker: { format: 'es' },
	test: {
		// both cores of a small machine; left to itself it uses one
		maxWorkers: 2,
		projects: [
			{
				resolve: { alias },
				test: {
					name: 'core',
					// nothing here keeps anything between tests: the core is loaded once, not by each file anew
					isolate: false,
					include: [
						'{src/core,src/door,src/runtime,src/cli,src/workers,demo}/**/*.test.ts',
						'src/server/http/routes.test.ts'
					],
					testTimeout: 120_000
				}
			},
			{
				// what pages work on, as the browser has it, without a page
				plugins: [svelte()],
				resolve: { alias, conditions: ['browser'] },
				test: {
					name: 'lib',
					isolate: false,
					include: ['src/lib/**/*.test.ts'],
					testTimeout: 120_000
				}
			},
			{
				resolve: { alias },
				test: {
					name: 'integration',
					include: ['src/server/**/*.test.ts'],
					exclude: ['src/server/http/routes.test.ts'],
					globalSetup: 'tests/template.ts',
					testTimeout: 60_000,
					hookTimeout: 120_000
				}
			},
			{
				// the built application as it runs, in processes of its own
				resolve: { alias },
				test: {
					name: 'service',
					include: ['service/**/*.test.ts'],
					globalSetup: 'tests/template.ts',
					fileParallelism: false,
					testTimeout: 120_000,
					hookTimeout: 180_000
				}
			}
		]
	}
});
