import { defineConfig } from '@playwright/test';

// One database serves all files, so they run one after the other, in the order of their names.
export default defineConfig({
	testDir: 'e2e',
	workers: 1,
	fullyParallel: false,
	retries: 0,
	// a machine is at times three times slower than at others
	timeout: 90_000,
	expect: { timeout: 8_000 },
	reporter: [['list']],
	use: {
		baseURL: process.env.BASE_URL,
		viewport: { width: 1280, height: 800 },
		launchOptions: {
			executablePath: '/usr/bin/chromium',
			args: [
				'--no-sandbox',
				'--disable-background-networking',
				'--disable-component-update',
				'--disable-sync',
				'--no-first-run',
				'--disable-quic'
			]
		}
	}
});
