/** What a bulk change does, held against the model and the rules in force, and what it sends to each record. */
import type { JsonValue, Plan, Rule, Value } from '../../core';
import {
	Schema,
	compilePlan,
	fromJson,
	lockedOnly,
	misfit,
	openField,
	settle,
	standingFields,
	toJson
} from '../../core';
import { BadInput } from '../../door';
import { MOST_BULK, type BulkAsked, type BulkDoes } from '../../door/bulk';
import { EVERYTHING, type ListAsked } from '../../door/lists';
import { may } from '../../door/rights';
import { formatCount } from '../../runtime/format';
import { zones } from '../../runtime/zones';
import type { Bulk, BulkRow } from '../db/bulk';
import type { Job } from '../db/jobs';
import { db, type Db } from '../db/pool';
import type { StoredRecord } from '../db/records';
import { readyList, type ReadyList } from '../lists/list';
import { listAccounts, type Account } from '../people/accounts';
import { inForce, type InForce, type Sender } from '../records';
import { AtHand } from '../records/near';
import { fromHistory } from './filled';
import type { Give, ToSend } from './to-send';

/** A bulk change that can be carried out. */
export interface ReadyBulk {
	force: InForce;
	sender: Sender;
	/** Its records; null for one that takes another back, whose records that one names. */
	list: ReadyList | null;
	/** So many of them, in their order. */
	first: number;
	/** What is sent to records, in their order. */
	sendTo: (records: readonly StoredRecord[]) => Promise<ToSend[]>;
}

/** What is said of more records than one bulk change takes. */
export const tooMany = () =>
	new BadInput(
		`These are more than ${formatCount(MOST_BULK)} records, and at most so many are changed at a time: take a narrower list, by when they were made for instance.`
	);

/** The rules that hold while values are taken back: what is Locked, and the checks. */
const locked = async (client: Db, workspace: string): Promise<InForce> => {
	const force = await inForce(client, workspace);
	return { ...force, plan: lockedOnly(force.plan) };
};

/** Whoever takes something back: values are as they were, not what rules would make of them, and nobody is written to. */
export const backwards = (sender: Sender): Sender => ({ ...sender, force: locked, silent: true });

/** @throws {BadInput} saying what does not fit, or who may no longer do this */
export async function readyBulk(
	bulk: Pick<Bulk, 'workspace' | 'type' | 'asked'>,
	account: Account,
	job?: string
): Promise<ReadyBulk> {
	const { workspace, type, asked } = bulk;
	const instant = Date.now();
	const sender: Sender = {
		workspace,
		account,
		entryPoint: 'bulk',
		instant,
		...(job ? { job } : {})
	};
	if (!asked) {
		const force = await locked(db(), workspace);
		return {
			force,
			sender: backwards(sender),
			list: null,
			first: Infinity,
			sendTo: () => Promise.reject(new Error('What is taken back is told by history.'))
		};
	}
	const force = await inForce(db(), workspace);
	const { schema } = force;
	if (!schema.types.has(type)) throw new BadInput(`There is no record type “${type}”.`);
	const by = { workspace, person: account.person, instant };
	const { which, does } = asked;
	const first = ('first' in which && which.first) || Infinity;
	// which come first is a question of order; of all of them it is not
	const listed = (l: ListAsked) => ({ ...l, columns: [], sort: first < Infinity ? l.sort : null });
	const list = await readyList(
		db(),
		schema,
		by,
		type,
		listed('list' in which ? which.list : EVERYTHING)
	);
	if ('ids' in which) list.listed.only = which.ids;
	/** What only rules set, rules have set: the field takes what they would have given it. */
	const opened = (f: InForce): InForce =>
		does.k === 'history' ? { ...f, plan: openField(f.plan, type, does.field) } : f;
	return {
		force: opened(force),
		sender: {
			...sender,
			...(does.k === 'history'
				? { force: async (client: Db, of: string) => opened(await inForce(client, of)) }
				: {}),
			...(asked.messages ? {} : { silent: true }),
			...(does.k === 'rules' ? { onRequest: { fillBlanks: does.fillBlanks } } : {}),
			...(does.k === 'line'
				? { onRequest: { fillBlanks: false, only: { type, field: does.field } } }
				: {})
		},
		list,
		first,
		sendTo: sending(workspace, force, sender, asked)
	};
}

/**
 * Whoever a job works for, as far as they still may: who edits a table need not be able to change many records at
 * once for these to follow it.
 * @throws {BadInput}
 */
export async function whoseJob(
	{ workspace, account, by }: Job,
	{ edit }: Pick<Bulk, 'edit'>
): Promise<Account> {
	const who = (await listAccounts(db(), workspace)).find((a) => a.id === account);
	if (!who || who.retired || (edit === null && !may(who.role, 'import')))
		throw new BadInput(`${by ?? 'Whoever began it'} may no longer change many records at once.`);
	return who;
}

function sending(
	workspace: string,
	force: InForce,
	sender: Sender,
	{ type, does, spare }: BulkAsked
): ReadyBulk['sendTo'] {
	const { schema, plan } = force;
	const nothing = { keep: [], byHand: false, spared: false, fault: null };
	const { at } = schema.type(type);
	if (does.k === 'line' && !standingFields(plan, type).includes(does.field))
		throw new BadInput(
			`No rule in force holds “${schema.field(type, does.field)?.label ?? does.field}” at a value that it could be brought into line with.`
		);
	if (does.k === 'rules' || does.k === 'line') {
		const written = new Set(
			does.k === 'line'
				? [does.field]
				: plan.nodes.filter((n) => n.type === type && n.claims.length).map((n) => n.field.id)
		);
		return (records) =>
			Promise.resolve(
				records.map((r) => {
					// what people set is sent as it stands, and kept against rules that follow
					const kept = spare
						? [...written].filter(
								(f) => r.setBy[f]?.by === 'person' && r.values[at.get(f)!] !== null
							)
						: [];
					const sent = kept.map((f): BulkRow['sent'][number] => [f, toJson(r.values[at.get(f)!])]);
					return { ...nothing, sent, keep: kept };
				})
			);
	}
	const field = schema.field(type, does.field);
	if (!field || field.retired) throw new BadInput(`There is no field “${does.field}” to be set.`);
	const i = at.get(field.id)!;
	const give =
		does.k === 'set'
			? fixed(schema, field, does.value)
			: does.k === 'history'
				? fromHistory(workspace, force, type, field.id)
				: calculated(workspace, schema, sender, type, does);
	return async (records) => {
		const values = await give(records);
		return records.map((r, k) => {
			const { value, fault, event, had } = values[k];
			const before = toJson(r.values[i]);
			const same = value === undefined || JSON.stringify(value) === JSON.stringify(before);
			const byHand = r.setBy[field.id]?.by === 'person';
			const spared = spare && byHand && !same && before !== null;
			const sent: BulkRow['sent'] = fault || same ? [] : [[field.id, value]];
			return {
				sent,
				keep: [field.id],
				byHand: byHand && before !== null,
				spared,
				fault,
				...(sent.length && event && had ? { event, had } : {})
			};
		});
	};
}

function fixed(schema: Schema, field: Parameters<typeof fromJson>[0], value: JsonValue): Give {
	const read = fromJson(field, value, schema);
	const wrong = read.ok ? misfit(field, read.value, null, schema) : read.message;
	if (wrong || !read.ok) throw new BadInput(wrong!);
	const to = toJson(read.value);
	return (records) => Promise.resolve(records.map(() => ({ value: to, fault: null })));
}

/**
 * What a formula gives for each record, as a rule would write it: one rule alone, on request, into a field that is
 * made up for it, so that it may read the one that is to be set.
 */
function calculated(
	workspace: string,
	schema: Schema,
	sender: Sender,
	type: string,
	does: BulkDoes & { k: 'calc' }
): Give {
	const plan = calculation(schema, type, does);
	const i = schema.type(type).type.fields.length;
	return async (records) => {
		const near = new AtHand(db(), workspace, schema);
		near.put(records);
		const out: { value: JsonValue | undefined; fault: string | null }[] = [];
		const open = new Set(records.keys());
		await near.fill((loader) =>
			[...open].flatMap((k) => {
				const { id, values } = records[k];
				const record = {
					type,
					id,
					created: false,
					was: [...values, null],
					sent: new Map<string, Value>(),
					keep: new Set<string>(),
					inLine: true
				};
				const { instant, account } = sender;
				const change = {
					records: [record],
					entryPoint: 'bulk' as const,
					instant,
					person: account.person,
					onRequest: true
				};
				const { records: settled, needs } = settle(plan, change, loader, { zones, alone: true });
				if (needs.length) return needs;
				open.delete(k);
				const [rec] = settled;
				// without a result it stays as it is
				const value = toJson(rec.values[i]) ?? undefined;
				out[k] = { value, fault: rec.failures[0]?.message ?? null };
				return [];
			})
		);
		return out;
	};
}

/** @throws {BadInput} naming what is wrong in the formula */
function calculation(
	{ model, definitions, tables }: Schema,
	type: string,
	{ field, formula }: BulkDoes & { k: 'calc' }
): Plan {
	let made = 'calculated';
	const of = model.types.find((t) => t.id === type)!;
	while (of.fields.some((f) => f.id === made)) made += '_';
	const scratch = {
		...of.fields.find((f) => f.id === field)!,
		id: made,
		key: false,
		unique: false
	};
	const schema = new Schema({
		...model,
		types: model.types.map((t) => (t === of ? { ...t, fields: [...t.fields, scratch] } : t))
	});
	const rule: Rule = {
		id: 'bulk',
		type,
		kind: 'derive',
		name: 'The calculation',
		why: '',
		moments: ['request'],
		entryPoints: null,
		watch: null,
		entering: false,
		guard: null,
		outputs: [{ id: 'o', field: made, hold: 'follow', none: 'leave' }],
		body: { kind: 'formula', formulas: [formula] }
	};
	const plan = compilePlan(schema, {
		rules: [rule],
		order: {},
		definitions: [...definitions.values()],
		tables: [...tables.values()]
	});
	if (plan.problems.length) throw new BadInput(`The calculation: ${plan.problems[0].message}`);
	if ([...plan.claims.values()].some((c) => c.eventful))
		throw new BadInput(
			'The calculation asks about a change (was, sent, changed, now): here nothing has changed yet.'
		);
	return plan;
}
