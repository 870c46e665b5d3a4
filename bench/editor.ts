/**
 * The sheet as somebody has it before them, in Chromium, on the built application: what comes over the wire until
 * the sample stands there, and what an edit and a key cost until the frame that shows them. On the demo, and with
 * two hundred more rules on the type.
 *
 *   npm run bench -- editor
 */
import { fileURLToPath } from 'node:url';
import { chromium, type CDPSession, type Page } from '@playwright/test';
import { seed } from '../demo/seed';
import { Client, startApp } from '../service/app';
import type { Rule } from '../src/core';
import { migrate } from '../src/server/db/migrate';
import { closeDb, transaction } from '../src/server/db/pool';
import { median } from './measure';

const EDITS = Number(process.env.RIGID_BENCH_EDITS ?? 60);
/** Milliseconds between edits: what is done behind them (saving, findings, trials) is over by then. */
const PAUSE = 500;
const SHEET = '/write/customer/size_class';

await migrate(fileURLToPath(new URL('../db/migrations', import.meta.url)));
await transaction((c) => seed(c));
const app = await startApp();
const ida = await new Client(app.base).signIn('ida@quillmere.example', 'glasshouse-1');
const browser = await chromium.launch({
	executablePath: '/usr/bin/chromium',
	args: ['--no-sandbox', '--disable-background-networking', '--disable-component-update']
});

/** A browser that has nothing yet, signed in, with the sheet open; and the bytes that came, by kind. */
async function opened(): Promise<{ page: Page; cdp: CDPSession; bytes: Map<string, number> }> {
	const context = await browser.newContext({ viewport: { width: 1280, height: 800 } });
	const [name, value] = ida.cookie.split('=');
	await context.addCookies([{ name, value, url: app.base }]);
	await context.addInitScript(() => localStorage.setItem('begun', 'yes'));
	const page = await context.newPage();
	const cdp = await context.newCDPSession(page);
	await cdp.send('Network.enable');
	const kinds = new Map<string, string>();
	const bytes = new Map<string, number>();
	cdp.on('Network.responseReceived', (e) => kinds.set(e.requestId, e.type));
	cdp.on('Network.loadingFinished', (e) => {
		const kind = kinds.get(e.requestId) ?? 'Other';
		bytes.set(kind, (bytes.get(kind) ?? 0) + e.encodedDataLength);
	});
	await page.goto(app.base + SHEET);
	await page.waitForSelector('[data-ready=true]');
	await page.waitForTimeout(3_000);
	return { page, cdp, bytes };
}

/** What one kind of doing took, each time: to the frame that shows it, and of the page's own work, in ms. */
interface Did {
	frame: number[];
	work: number;
	long: number;
}

/** Does something some times, with pauses, in the page. @param what `limit`: another limit of a band; `key`: a key in the field in focus */
async function measured(page: Page, cdp: CDPSession, what: 'limit' | 'key'): Promise<Did> {
	await cdp.send('Performance.enable');
	const busy = async () => {
		const { metrics } = await cdp.send('Performance.getMetrics');
		return metrics.find((m) => m.name === 'TaskDuration')!.value * 1_000;
	};
	const from = await busy();
	const { frame, long } = await page.evaluate(
		async ({ what, n, pause }) => {
			let long = 0;
			const seen = new PerformanceObserver((l) => (long += l.getEntries().length));
			seen.observe({ type: 'longtask' });
			const frame: number[] = [];
			// the limit behind the one at 0
			const inputs = [...document.querySelectorAll<HTMLInputElement>('main input')];
			const limit = inputs[inputs.findIndex((e) => e.value === '0') + 1];
			const put = Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, 'value')!.set!;
			for (let i = 0; i < n; i++) {
				const begun = performance.now();
				if (what === 'limit') {
					put.call(limit, String(11 + (i % 9)));
					limit.dispatchEvent(new InputEvent('input', { bubbles: true }));
					limit.dispatchEvent(new Event('change', { bubbles: true }));
				} else document.execCommand('insertText', false, String(i % 10));
				await new Promise<void>((shown) =>
					requestAnimationFrame(() => {
						// the frame is on its way once what comes after it runs
						const after = new MessageChannel();
						after.port1.onmessage = () => shown();
						after.port2.postMessage(0);
					})
				);
				frame.push(performance.now() - begun);
				await new Promise((r) => setTimeout(r, pause));
			}
			seen.disconnect();
			return { frame, long };
		},
		{ what, n: EDITS, pause: PAUSE }
	);
	return { frame, work: ((await busy()) - from) / EDITS, long };
}

const say = (name: string, { frame, work, long }: Did) => {
	const sorted = [...frame].sort((a, b) => a - b);
	console.log(
		`  ${name.padEnd(44)} to the frame ${median(frame).toFixed(0).padStart(4)} ms (${sorted[0].toFixed(0)} to ${sorted.at(-1)!.toFixed(0)}), work ${work.toFixed(0).padStart(4)} ms each, ${long} long tasks in ${EDITS}`
	);
};

/** Rules on the same type, of which none concerns what is edited. */
const more = Array.from({ length: 200 }, (_, i): Rule => ({
	id: `more_${i}`,
	type: 'customer',
	kind: 'default',
	name: `More ${i}`,
	why: '',
	moments: ['created', 'changed', 'request'],
	entryPoints: null,
	watch: null,
	entering: false,
	guard: { text: `Trading name = "Nobody ${i}"` },
	outputs: [{ id: 'o', field: 'glass_area', hold: 'fill', none: 'next' }],
	body: { kind: 'formula', formulas: [{ text: String(i) }] }
}));

for (const rules of ['the demo', '200 more rules on the type']) {
	console.log(`\n${rules}`);
	if (rules !== 'the demo') {
		const pieces = more.map((after) => ({ path: ['rules', after.id], after }));
		const r = await ida.ask('/draft', { method: 'PATCH', json: { pieces } });
		if (!r.ok) throw new Error(`${r.status} ${await r.text()}`);
	}
	const { page, cdp, bytes } = await opened();
	console.log(
		`  over the wire: ${[...bytes].map(([kind, n]) => `${kind} ${(n / 1_000).toFixed(0)} kB`).join(', ')}`
	);
	const heap = async () => {
		await cdp.send('HeapProfiler.collectGarbage');
		const { metrics } = await cdp.send('Performance.getMetrics');
		return metrics.find((m) => m.name === 'JSHeapUsedSize')!.value / 1e6;
	};
	await cdp.send('Performance.enable');
	const before = await heap();
	say('a limit of a band', await measured(page, cdp, 'limit'));
	console.log(`  heap ${before.toFixed(1)} MB before, ${(await heap()).toFixed(1)} MB after`);
	await page.goto(`${app.base}/write/deal/net_amount`);
	await page.waitForSelector('[data-ready=true]');
	await page.locator('.cm-content').first().click();
	await page.keyboard.press('End');
	await page.waitForTimeout(2_000);
	say('a key in a formula', await measured(page, cdp, 'key'));
	await page.context().close();
}
await browser.close();
await app.stop();
await closeDb();
