/** Message rules at a record of a pass. */
import type { MessageRule } from '../plan/plan';
import { failure } from './attempt';
import { fits, triggered } from './conditions';
import { report } from './evidence';
import { sendings } from './outgoing';
import type { Pass } from './pass';
import type { Working } from './working';

/** Writes what a message rule sends for a record. */
export function send(pass: Pass, rec: Working, m: MessageRule) {
	const { env } = pass;
	env.begin(rec);
	try {
		const fit = triggered(pass, rec, m) ? fits(pass, rec, m) : 'not triggered';
		if (fit !== true) return report(pass, rec, m, fit);
		const sending = sendings(m, rec, env.today, {
			at: (view) => {
				env.begin(view);
				return env;
			},
			view: (type, id) => pass.view(type, id),
			related: (type, field, id) => pass.relatedIds(type, field, id, 'settled')
		});
		env.rec = rec;
		if (sending.sends.length) rec.out.sends = [...rec.out.sends, ...sending.sends];
		for (const f of sending.failed)
			rec.out.failures.push({ claim: m.id, field: m.field.id, message: f.message });
		report(pass, rec, m, sending.sends.length ? 'sends' : 'nobody', { sending });
	} catch (e) {
		const { pending, message } = failure(e);
		env.rec = rec;
		if (!pending) rec.out.failures.push({ claim: m.id, field: m.field.id, message });
		report(pass, rec, m, pending ? 'pending' : 'failed', { message });
	}
}
