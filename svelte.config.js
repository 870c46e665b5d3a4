import adapter from '@sveltejs/adapter-node';
import { vitePreprocess } from '@sveltejs/vite-plugin-svelte';
import { build } from 'vite';

// Tests build beside a running application, so both folders can be chosen.
const out = process.env.RIGID_BUILD_DIR ?? 'build';

/** The threads of the server (`src/server/thread.ts`), each a file of the build. */
const THREADS = ['workers/analysis.thread', 'server/look/suggest.thread', 'server/jobs/worker'];
const server = adapter({ out });
/** @type {import('@sveltejs/kit').Adapter} */
const withThreads = {
	...server,
	async adapt(builder) {
		await server.adapt(builder);
		await build({
			configFile: false,
			logLevel: 'warn',
			publicDir: false,
			build: {
				ssr: true,
				outDir: `${out}/threads`,
				target: 'node20',
				rollupOptions: {
					input: Object.fromEntries(THREADS.map((t) => [t, `src/${t}.ts`])),
					output: { entryFileNames: '[name].js', chunkFileNames: '[name]-[hash].js' }
				}
			}
		});
	}
};

/** @type {import('@sveltejs/kit').Config} */
export default {
	preprocess: vitePreprocess(),
	kit: {
		adapter: withThreads,
		outDir: process.env.RIGID_KIT_DIR ?? '.svelte-kit',
		// what runs beside the application is read as strictly as the application
		typescript: {
			config: (config) => {
				const beside = ['bench', 'demo', 'docs', 'e2e', 'scripts', 'service'];
				const root = new URL('.', import.meta.url).pathname;
				config.include.push(...beside.map((folder) => `${root}${folder}/**/*.ts`));
			}
		},
		alias: {
			$core: 'src/core',
			$server: 'src/server',
			$door: 'src/door',
			$workers: 'src/workers',
			$demo: 'demo'
		},
		csp: {
			mode: 'nonce',
			directives: {
				'default-src': ['self'],
				'script-src': ['self'],
				'worker-src': ['self'],
				'style-src-elem': ['self'],
				'style-src-attr': ['unsafe-inline'],
				'img-src': ['self', 'data:'],
				'font-src': ['self'],
				'connect-src': ['self'],
				'object-src': ['none'],
				'base-uri': ['none'],
				'form-action': ['self'],
				'frame-ancestors': ['none']
			}
		}
	}
};
