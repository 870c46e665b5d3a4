import { expect, it } from 'vitest';
import { BadInput } from './check';
import { JOB_KINDS, jobsAsked, jobsHref, type JobsAsked } from './job-kinds';

const of = (href: string) => jobsAsked(new URL(href, 'http://x').searchParams);

it('what is asked of jobs stands in the address and comes back from it', () => {
	const before = '12345678-9abc-4def-8123-456789abcdef';
	for (const kind of [null, ...JOB_KINDS])
		for (const by of [null, '7', 'nobody'])
			for (const b of [null, before]) {
				const asked: JobsAsked = { kind, by, before: b };
				expect(of(jobsHref(asked))).toEqual(asked);
			}
	expect(jobsHref({ kind: null, by: null, before: null })).toBe('/jobs');
	expect(of('/jobs?kind=&by=')).toEqual({ kind: null, by: null, before: null });
});

it('what it cannot be is refused by its place', () => {
	for (const [href, place] of [
		['/jobs?kind=party', '“kind”'],
		['/jobs?kind=constructor', '“kind”'],
		['/jobs?by=ida', '“by”'],
		['/jobs?by=-1', '“by”'],
		['/jobs?before=1', '“before”'],
		["/jobs?before=' or 1=1", '“before”']
	]) {
		expect(() => of(href), href).toThrow(BadInput);
		expect(() => of(href), href).toThrow(place);
	}
});
