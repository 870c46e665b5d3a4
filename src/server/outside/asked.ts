/** What forms ask of webhooks, read by the model. */
import type { Model } from '../../core';
import type { FormValues, HookAsked } from '../../door/forms';
import { refuse } from '../http/forms';
import { NotThisHook } from './hooks';

/** A hook as a form asks for it. */
export function hookAsked(v: FormValues<'hook'>, model: Model): HookAsked {
	const types = model.types.filter((t) => v.types?.split(' ').includes(t.id)).map((t) => t.id);
	return {
		name: v.name,
		address: v.to === 'address' ? (v.address ?? '') : null,
		types: types.length ? types : null
	};
}

/** What stands against it is told at its input. */
export async function toldAtInput<T>(work: () => Promise<T>): Promise<T> {
	try {
		return await work();
	} catch (e) {
		if (e instanceof NotThisHook) refuse(e.input, e.message);
		throw e;
	}
}
