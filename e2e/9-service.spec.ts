/** What operators and careful administrators do: a job is paused and gone on with, doubles are seen, keeping is set. */
import { expect, open, signIn } from './helpers';
import { test } from '@playwright/test';

test('an import is paused, stands still, is stopped, and the rest is gone on with', async ({
	page
}) => {
	await signIn(page, 'ida');
	await open(page, '/records/district/import');
	const rows = Array.from({ length: 8_000 }, (_, i) => `Ferry district ${i}`);
	await page.locator('input[type=file]').setInputFiles({
		name: 'districts.csv',
		mimeType: 'text/csv',
		buffer: Buffer.from(`Name\n${rows.join('\n')}\n`)
	});
	await page.getByRole('button', { name: 'Look at it' }).click();
	await page.waitForURL(/\/imports\//);
	await page.waitForSelector('[data-ready=true]');
	await page.getByRole('button', { name: 'Import', exact: true }).click();
	const job = page.getByTestId('job');
	await job.getByRole('button', { name: 'Pause' }).focus();
	await page.keyboard.press('Enter');
	await expect(job).toContainText('has paused');
	const told = await job.getByRole('status').textContent();
	await open(page, '/jobs');
	// nothing moves meanwhile
	await page.waitForTimeout(2_500);
	await expect(job.getByRole('status')).toHaveText(told!.trim());
	await job.getByRole('button', { name: 'Stop it' }).click();
	await page.getByRole('link', { name: /8.?000 service districts/ }).click();
	await expect(job).toContainText('was stopped');
	await job.getByRole('button', { name: 'Go on with the rest' }).click();
	await expect(page.getByText(/8.?000 of 8.?000 rows/)).toBeVisible({ timeout: 60_000 });
});

test('records that share a key are told under Check, with a way to each', async ({ page }) => {
	await signIn(page, 'ida');
	await open(page, '/check');
	await expect(page.getByText('No two records share a key')).toBeVisible();
	const ids: string[] = [];
	for (const name of ['Twin east', 'Twin west']) {
		const r = await page.request.post('/save/engineer', {
			data: {
				sent: [
					['name', name],
					['e_mail', 'twin@quillmere.example']
				]
			},
			headers: { origin: new URL(page.url()).origin }
		});
		ids.push(((await r.json()) as { id: string }).id);
	}
	await open(page, '/check');
	const doubles = page.getByRole('list', { name: 'Records that share a key' });
	await expect(doubles).toContainText('Several sales engineers have the same E-mail');
	await doubles.getByRole('link', { name: `No. ${ids[1]}` }).click();
	await expect(page.getByRole('heading', { name: 'Twin west' })).toBeVisible();
});

test('for how long what is kept is a setting, told where it is wrong', async ({ page }) => {
	await signIn(page, 'ida');
	await open(page, '/settings');
	const jobs = page.getByLabel('Jobs that ended');
	await jobs.fill('a week');
	await page.keyboard.press('Enter');
	await expect(page.getByText('Write a number of days')).toBeVisible();
	await jobs.fill('365');
	await page.keyboard.press('Enter');
	await expect(page.getByText('What is older goes within')).toBeVisible();
	await page.reload();
	await expect(page.getByLabel('Jobs that ended')).toHaveValue('365');
});
