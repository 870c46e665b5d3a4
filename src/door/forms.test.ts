import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { FORMS, readForm, type FormName } from './forms';

const form = (values: Record<string, string | Blob>) => {
	const data = new FormData();
	for (const [k, v] of Object.entries(values)) data.append(k, v);
	return data;
};

describe('forms', () => {
	it('give what passed, trimmed, and nothing that was not asked for', () => {
		const r = readForm('token', form({ label: '  Web shop ', role: 'reader', evil: '1' }));
		expect(r).toEqual({ ok: true, values: { label: 'Web shop', role: 'reader' } });
	});
	it('name each input that is wrong', () => {
		const r = readForm('signIn', form({ email: ' ', password: 'x'.repeat(1001) }));
		expect(r).toEqual({
			ok: false,
			faults: {
				email: 'Type the e-mail address with which you sign in.',
				password: 'A password may have 1000 characters.'
			}
		});
	});
	it('take names of one line only: no control characters come as far as the database', () => {
		for (const bad of ['a\0b', 'a\nb', 'a\u001bb', '\u0085x'])
			expect(readForm('token', form({ label: bad, role: 'reader' }))).toEqual({
				ok: false,
				faults: { label: 'That is not one line of text.' }
			});
	});
	it('read a name that comes twice once, and a file as no text', () => {
		const twice = form({ label: 'First', role: 'reader' });
		twice.append('label', 'Second');
		expect(readForm('token', twice)).toMatchObject({ values: { label: 'First' } });
		expect(readForm('token', form({ label: new Blob(['x']) })).ok).toBe(false);
	});
	it('take days that there are, and not over', () => {
		const ends = (day: string) =>
			readForm('token', form({ label: 'A', role: 'reader', ends: day })).ok;
		expect(['', '2120-02-29'].map(ends)).toEqual([true, true]);
		for (const bad of ['2120-02-30', '2121-02-29', '2026-99-99', '2020-01-01', '31.1.2120'])
			expect([bad, ends(bad)]).toEqual([bad, false]);
	});
	it('take the number of a token as digits', () => {
		expect(readForm('revoke', form({ id: '12' }))).toMatchObject({
			ok: true,
			values: { id: '12' }
		});
		for (const bad of ['-1', '1.5', 'x', '', '9'.repeat(19)])
			expect(readForm('revoke', form({ id: bad })).ok).toBe(false);
	});
	it('answer anything without throwing', () => {
		const names = [...Object.getOwnPropertyNames(Object.prototype), 'label', 'id', 'list', 'email'];
		fc.assert(
			fc.property(
				fc.constantFrom(...(Object.keys(FORMS) as FormName[])),
				fc.array(fc.tuple(fc.constantFrom(...names), fc.string({ unit: 'binary' })), {
					maxLength: 8
				}),
				(name, pairs) => {
					const data = new FormData();
					for (const [k, v] of pairs) data.append(k, v);
					const r = readForm(name, data);
					if (!r.ok) expect(Object.values(r.faults).every((m) => m.length > 0)).toBe(true);
				}
			)
		);
	});
});
