import type { Field, Model } from '$core';
import { FIELD_TYPES, KEY_TYPES, isKeptName } from '$core';
import { nameKey } from '$core/feel/language';
import { createToken, listAccounts, listTokens, revokeToken } from '$server/people/accounts';
import {
	addField,
	addOption,
	moveOption,
	indexMatched,
	keysToMatch,
	readModel,
	updateField,
	updateOption
} from '$server/db/model';
import { db, transaction } from '$server/db/pool';
import { formAction, refuse } from '$server/http/forms';
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
		refuse('inverse', `${target.label} already has something called “${wanted}”.`);
	return wanted;
}

/** The event that every action of this page gets. */
type On = Parameters<NonNullable<Actions[string]>>[0];

export const actions = {
	addField: formAction('addField', async (v, event: On) => {
		const account = allow(event, 'author');
		const kind = FIELD_TYPES.find((t) => t === v.kind) ?? refuse('kind', 'Choose what it is.');
		const { model } = await readModel(db(), account.workspace);
		const t =
			model.types.find((x) => x.id === v.type) ?? refuse('type', 'There is no such record type.');
		if (t.fields.some((f) => nameKey(f.label) === nameKey(v.label)))
			refuse('label', `${t.label} already has a field “${v.label}”.`);
		const field: Field = {
			id: identity(v.label, (id) => t.fields.some((f) => f.id === id)),
			label: v.label,
			group: v.group,
			type: kind
		};
		if (kind === 'choice' || kind === 'choices') {
			if (!model.lists.some((l) => l.id === v.list))
				refuse('list', 'Choose the option list of this field.');
			field.list = v.list;
		}
		if (kind === 'link') {
			if (!model.types.some((x) => x.id === v.target))
				refuse('target', 'Choose the record type that this field links to.');
			field.target = v.target;
			field.inverse = inverseName(model, field, v.inverse || t.plural);
		}
		if (kind === 'money') {
			const teller = t.fields.find(
				(f) => f.type === 'choice' && v.unit && nameKey(f.label) === nameKey(v.unit)
			);
			if (teller) field.currencyField = teller.id;
			else if (!v.unit || /^[A-Z]{3}$/.test(v.unit)) field.currency = v.unit || 'EUR';
			else
				refuse(
					'unit',
					`The currency of an amount is a code such as EUR, or a choice of ${t.label} that tells it; “${v.unit}” is neither.`
				);
		}
		if (v.unit && kind === 'number') field.unit = v.unit;
		await transaction((c) => addField(c, account.workspace, t.id, field));
		return { done: `${t.label} has the field “${field.label}” now.` };
	}),
	editField: formAction('editField', async (v, event: On) => {
		const account = allow(event, 'author');
		const { model } = await readModel(db(), account.workspace);
		const t = model.types.find((x) => x.id === v.type);
		const f = t?.fields.find((x) => x.id === v.id) ?? refuse('id', 'There is no such field.');
		if (t!.fields.some((x) => x.id !== f.id && nameKey(x.label) === nameKey(v.label)))
			refuse('label', `${t!.label} already has a field “${v.label}”.`);
		const retired = v.retire !== undefined ? !f.retired : f.retired;
		if (retired && f.id === t!.title)
			refuse('label', `${f.label} names the record and cannot be retired.`);
		const next: Field = { ...f, label: v.label, retired: retired || undefined };
		if (KEY_TYPES.includes(f.type)) next.key = v.key !== undefined || undefined;
		if (f.type === 'link') {
			next.whenDeleted = v.blanks !== undefined ? 'blank' : undefined;
			next.inverse = v.inverse ? inverseName(model, f, v.inverse) : f.inverse;
		}
		await transaction(async (c) => {
			await updateField(c, account.workspace, t!.id, next);
			await indexMatched(c, keysToMatch({ id: t!.id, fields: [next] }));
		});
		return { done: `“${v.label}” of ${t!.label} is stored.` };
	}),
	addOption: formAction('addOption', async (v, event: On) => {
		const account = allow(event, 'author');
		const { model } = await readModel(db(), account.workspace);
		const l =
			model.lists.find((x) => x.id === v.list) ?? refuse('list', 'There is no such option list.');
		if (l.options.some((o) => nameKey(o.label) === nameKey(v.label)))
			refuse('label', `${l.label} already has the option “${v.label}”.`);
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
	editOption: formAction('editOption', async (v, event: On) => {
		const account = allow(event, 'author');
		const { model } = await readModel(db(), account.workspace);
		const l = model.lists.find((x) => x.id === v.list);
		const o = l?.options.find((x) => x.id === v.id) ?? refuse('id', 'There is no such option.');
		if (l!.options.some((x) => x.id !== o.id && nameKey(x.label) === nameKey(v.label)))
			refuse('label', `${l!.label} already has the option “${v.label}”.`);
		await transaction((c) =>
			updateOption(
				c,
				account.workspace,
				l!.id,
				o.id,
				v.label,
				v.retire !== undefined ? !o.retired : !!o.retired,
				v.code === undefined ? (o.code ?? null) : v.code || null
			)
		);
		return { done: `“${v.label}” of ${l!.label} is stored.` };
	}),
	moveOption: formAction('moveOption', async (v, event: On) => {
		const account = allow(event, 'author');
		const moved = await transaction((c) => moveOption(c, account.workspace, v.list, v.id, v.to));
		if (!moved) refuse('id', 'There is no such option any more.');
	}),
	token: formAction('token', async (v, event: On) => {
		const account = allow(event, 'administrator');
		return { token: await createToken(db(), account, v.label) };
	}),
	revoke: formAction('revoke', async (v, event: On) => {
		const account = allow(event, 'administrator');
		await revokeToken(db(), account.workspace, v.id);
		return { done: 'The token opens nothing any more.' };
	})
} satisfies Actions;
