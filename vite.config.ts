import { sveltekit } from '@sveltejs/kit/vite';
import { svelte } from '@sveltejs/vite-plugin-svelte';
import tailwindcss from '@tailwindcss/vite';
import { defineConfig } from 'vitest/config';

const alias = {
	$core: new URL('./src/core', import.meta.url).pathname,
	$server: new URL('./src/server', import.meta.url).pathname,
	$door: new URL('./src/door', import.meta.url).pathname,
	$demo: new URL('./demo', import.meta.url).pathname
};

export default defineConfig({
	plugins: [tailwindcss(), sveltekit()],
	build: { chunkSizeWarningLimit: 700 },
	worker: { format: 'es' },
	test: {
		projects: [
			{
				resolve: { alias },
				test: {
					name: 'core',
					include: [
						'{src/core,src/door,src/cli,src/workers,demo}/**/*.test.ts',
						'src/server/http/routes.test.ts'
					],
					testTimeout: 120_000
				}
			},
			{
				// what pages work on, as the browser has it, without a page
				plugins: [svelte()],
				resolve: { alias, conditions: ['browser'] },
				test: { name: 'lib', include: ['src/lib/**/*.test.ts'], testTimeout: 120_000 }
			},
			{
				resolve: { alias },
				test: {
					name: 'integration',
					include: ['src/server/**/*.test.ts'],
					exclude: ['src/server/http/routes.test.ts'],
					fileParallelism: false,
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
					fileParallelism: false,
					testTimeout: 120_000,
					hookTimeout: 180_000
				}
			}
		]
	}
});
