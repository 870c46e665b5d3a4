import { fail } from '@sveltejs/kit';
import * as yup from 'yup';
import type { Field, Model } from '$core';
import { FIELD_TYPES, KEY_TYPES, isKeptName } from '$core';
import { nameKey } from '$core/feel/language';
import { createToken, listAccounts, listTokens, revokeToken } from '$server/people/accounts';
import {
	addField,
	addOption,
	indexMatched,
	keysToMatch,
	readModel,
	updateField,
	updateOption
} from '$server/db/model';
import { db, transaction } from '$server/db/pool';
import { allow } from '$server/http/guard';
import type { Actions, PageServerLoad } from './$types';

export const load: PageServerLoad = async (event) => {
	const account = allow(event, 'reader');
	const admin = account.role === 'administrator';
	return {
		people: (await listAccounts(db(), account.workspace)).map(({ id, name, email, role }) => ({
			id,
			name,
			email,
			role
		})),
		tokens: admin ? await listTokens(db(), account.workspace) : []
	};
};

const label = yup
	.string()
	.trim()
	.required('Give it a name.')
	.max(80, 'A name may have 80 characters.');
/** An identity from a label: it never changes again, whatever the label becomes. */
function identity(text: string, taken: (id: string) => boolean): string {
	const base =
		text
			.toLowerCase()
			.normalize('NFD')
			.replace(/[\u0300-\u036f]/g, '')
			.replace(/%/g, 'percent')
			.replace(/[^a-z0-9]+/g, '_')
			.replace(/^[^a-z]+|_$/g, '')
			.slice(0, 34) || 'item';
	const free = (id: string) => !taken(id) && !isKeptName(id);
	if (free(base)) return base;
	for (let i = 2; ; i++) if (free(`${base}_${i}`)) return `${base}_${i}`;
}

async function run(work: () => Promise<Record<string, unknown> | void>) {
	try {
		return (await work()) ?? { done: 'Stored.' };
	} catch (e) {
		if (e instanceof yup.ValidationError) return fail(400, { message: e.message });
		throw e;
	}
}
const refuse = (message: string): never => {
	throw new yup.ValidationError(message);
};

/** What the other side of a link is called; nothing else there may have that name. */
function inverseName(model: Model, link: Field, wanted: string): string {
	const target = model.types.find((t) => t.id === link.target)!;
	const taken = [
		...target.fields.map((f) => f.label),
		...model.types.flatMap((t) =>
			t.fields
				.filter((f) => f.target === target.id && f.inverse && f.id !== link.id)
				.map((f) => f.inverse!)
		)
	];
	if (taken.some((x) => nameKey(x) === nameKey(wanted)))
		refuse(`${target.label} already has something called “${wanted}”.`);
	return wanted;
}

export const actions: Actions = {
	addField: (event) =>
		run(async () => {
			const account = allow(event, 'author');
			const form = Object.fromEntries(await event.request.formData());
			const v = yup
				.object({
					type: yup.string().required(),
					label,
					kind: yup.string().oneOf(FIELD_TYPES).required(),
					group: label,
					list: yup.string(),
					target: yup.string(),
					unit: yup.string().max(20),
					inverse: yup.string().trim().max(80, 'A name may have 80 characters.')
				})
				.validateSync(form);
			const { model } = await readModel(db(), account.workspace);
			const t = model.types.find((x) => x.id === v.type) ?? refuse('There is no such record type.');
			if (t.fields.some((f) => nameKey(f.label) === nameKey(v.label)))
				refuse(`${t.label} already has a field “${v.label}”.`);
			const field: Field = {
				id: identity(v.label, (id) => t.fields.some((f) => f.id === id)),
				label: v.label,
				group: v.group,
				type: v.kind
			};
			if (v.kind === 'choice' || v.kind === 'choices') {
				if (!model.lists.some((l) => l.id === v.list))
					refuse('Choose the option list of this field.');
				field.list = v.list;
			}
			if (v.kind === 'link') {
				if (!model.types.some((x) => x.id === v.target))
					refuse('Choose the record type that this field links to.');
				field.target = v.target;
				field.inverse = inverseName(model, field, v.inverse || t.plural);
			}
			if (v.kind === 'money') {
				const teller = t.fields.find(
					(f) => f.type === 'choice' && v.unit && nameKey(f.label) === nameKey(v.unit)
				);
				if (teller) field.currencyField = teller.id;
				else if (!v.unit || /^[A-Z]{3}$/.test(v.unit)) field.currency = v.unit || 'EUR';
				else
					refuse(
						`The currency of an amount is a code such as EUR, or a choice of ${t.label} that tells it; “${v.unit}” is neither.`
					);
			}
			if (v.unit && v.kind === 'number') field.unit = v.unit;
			await transaction((c) => addField(c, account.workspace, t.id, field));
			return { done: `${t.label} has the field “${field.label}” now.` };
		}),
	editField: (event) =>
		run(async () => {
			const account = allow(event, 'author');
			const form = Object.fromEntries(await event.request.formData());
			const v = yup
				.object({
					type: yup.string().required(),
					id: yup.string().required(),
					label,
					inverse: yup.string().trim().max(80, 'A name may have 80 characters.')
				})
				.validateSync(form);
			const { model } = await readModel(db(), account.workspace);
			const t = model.types.find((x) => x.id === v.type);
			const f = t?.fields.find((x) => x.id === v.id) ?? refuse('There is no such field.');
			if (t!.fields.some((x) => x.id !== f.id && nameKey(x.label) === nameKey(v.label)))
				refuse(`${t!.label} already has a field “${v.label}”.`);
			const retired = 'retire' in form ? !f.retired : f.retired;
			if (retired && f.id === t!.title)
				refuse(`${f.label} names the record and cannot be retired.`);
			const next: Field = { ...f, label: v.label, retired: retired || undefined };
			if (KEY_TYPES.includes(f.type)) next.key = 'key' in form || undefined;
			if (f.type === 'link') {
				next.whenDeleted = 'blanks' in form ? 'blank' : undefined;
				next.inverse = v.inverse ? inverseName(model, f, v.inverse) : f.inverse;
			}
			await transaction(async (c) => {
				await updateField(c, account.workspace, t!.id, next);
				await indexMatched(c, keysToMatch({ id: t!.id, fields: [next] }));
			});
		}),
	addOption: (event) =>
		run(async () => {
			const account = allow(event, 'author');
			const form = Object.fromEntries(await event.request.formData());
			const v = yup.object({ list: yup.string().required(), label }).validateSync(form);
			const { model } = await readModel(db(), account.workspace);
			const l = model.lists.find((x) => x.id === v.list) ?? refuse('There is no such option list.');
			if (l.options.some((o) => nameKey(o.label) === nameKey(v.label)))
				refuse(`${l.label} already has the option “${v.label}”.`);
			await transaction((c) =>
				addOption(
					c,
					account.workspace,
					l.id,
					identity(v.label, (id) => l.options.some((o) => o.id === id)),
					v.label
				)
			);
			return { done: `${l.label} has the option “${v.label}” now.` };
		}),
	editOption: (event) =>
		run(async () => {
			const account = allow(event, 'author');
			const form = Object.fromEntries(await event.request.formData());
			const v = yup
				.object({
					list: yup.string().required(),
					id: yup.string().required(),
					label,
					code: yup.string().trim().max(20)
				})
				.validateSync(form);
			const { model } = await readModel(db(), account.workspace);
			const l = model.lists.find((x) => x.id === v.list);
			const o = l?.options.find((x) => x.id === v.id) ?? refuse('There is no such option.');
			if (l!.options.some((x) => x.id !== o.id && nameKey(x.label) === nameKey(v.label)))
				refuse(`${l!.label} already has the option “${v.label}”.`);
			await transaction((c) =>
				updateOption(
					c,
					account.workspace,
					l!.id,
					o.id,
					v.label,
					'retire' in form ? !o.retired : !!o.retired,
					v.code === undefined ? (o.code ?? null) : v.code || null
				)
			);
		}),
	token: (event) =>
		run(async () => {
			const account = allow(event, 'administrator');
			const form = Object.fromEntries(await event.request.formData());
			const v = yup.object({ label }).validateSync(form);
			return { token: await createToken(db(), account, v.label) };
		}),
	revoke: (event) =>
		run(async () => {
			const account = allow(event, 'administrator');
			const id = String((await event.request.formData()).get('id') ?? '');
			if (!/^\d{1,18}$/.test(id)) refuse('There is no such token.');
			await revokeToken(db(), account.workspace, id);
		})
};
