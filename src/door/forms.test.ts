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
		const r = readForm('addOption', form({ list: 'country', label: '  Slovenia ', evil: '1' }));
		expect(r).toEqual({ ok: true, values: { list: 'country', label: 'Slovenia' } });
	});
	it('name each input that is wrong', () => {
		const r = readForm(
			'editOption',
			form({ list: 'country', id: 'x', label: ' ', code: 'x'.repeat(21) })
		);
		expect(r).toEqual({
			ok: false,
			faults: { label: 'Give the option a name.', code: 'A code may have 20 characters.' }
		});
	});
	it('take names of one line only: no control characters come as far as the database', () => {
		for (const bad of ['a\0b', 'a\nb', 'a\u001bb', '\u0085x'])
			expect(readForm('token', form({ label: bad }))).toEqual({
				ok: false,
				faults: { label: 'That is not one line of text.' }
			});
	});
	it('read a name that comes twice once, and a file as no text', () => {
		const twice = form({ list: 'country', label: 'First' });
		twice.append('label', 'Second');
		expect(readForm('addOption', twice)).toMatchObject({ values: { label: 'First' } });
		const file = form({ list: 'country', label: new Blob(['x']) });
		expect(readForm('addOption', file).ok).toBe(false);
	});
	it('take a place as a whole number from 0 on', () => {
		const to = (v: string) => readForm('moveOption', form({ list: 'l', id: 'o', to: v }));
		expect(to('2')).toMatchObject({ ok: true, values: { to: 2 } });
		for (const bad of ['-1', '1.5', 'x', '']) expect(to(bad).ok).toBe(false);
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
