/** Edits of the live model: what stands in their way is said, and what they take away is known before. */
import type { Model, ModelFault, ModelLoss, ModelPart, Piece, Value } from '../../core';
import {
	Schema,
	applied,
	holdsTheSame,
	lossesBetween,
	modelPartName,
	newModelFaults,
	refKey,
	speakersOf,
	toJson
} from '../../core';
import { queueIndexing } from '../jobs/indexing';
import { checkModel } from '../../door';
import type { PoolClient } from 'pg';
import { note } from '../audit/audit';
import { betweenChanges } from '../db/between';
import {
	countHeld,
	countOptions,
	indexMatched,
	indexUnique,
	keysToMatch,
	readModel,
	readPastFields,
	storeModel,
	storePersonType,
	type Doubled
} from '../db/model';
import { limitLocks, momentOf } from '../db/pool';
import { addToHistory, nextChanges, writeHistory } from '../db/history';
import { listTrials, lockDraft, readDraft, releaseInForce, withLiving } from '../db/rules';
import type { Account } from '../people/accounts';
import { Becoming, eachValue, forgetSetBy } from '../db/values';
import { counted, revisionOf, type Step } from './revision';
import { brokenBy, eachConverted, type Retyped } from './convert';

/** An edit of the model that cannot be taken, with what is wrong at its place. */
export class BadModel extends Error {
	constructor(readonly faults: readonly ModelFault[]) {
		super(faults.map((f) => f.message).join(' '));
	}
}

/** Somebody changed meanwhile what the edit found, or more is lost by it than was looked at. */
export class ModelMoved extends Error {}

/** How long an edit waits for others to be done with a table, milliseconds. */
const LOCK_MS = 5_000;

/** What people see of a record type and its fields, and no value, rule or change of a record goes by. */
const WORDS: ReadonlySet<string> = new Set(['label', 'plural', 'group', 'short', 'columns']);

const isWords = ({ path }: Piece): boolean => {
	const [list, , ...of] = path;
	const own = of[0] === 'fields' ? of.slice(2) : of;
	return list === 'types' && own.length === 1 && WORDS.has(own[0]);
};

/** What an edit did: a step, and */
export interface ModelEdited extends Step {
	/** How many values could not be carried over. */
	lost: number;
}

/**
 * Carries out pieces on the stored model, all or none.
 * @param lost how many values the sender has seen that will be lost
 * @throws {BadModel} with what is wrong and where
 * @throws {ModelMoved}
 */
export async function editModel(
	client: PoolClient,
	account: Account,
	pieces: readonly Piece[],
	lost: number
): Promise<ModelEdited> {
	const { workspace } = account;
	await limitLocks(client, LOCK_MS);
	// a change under way was read by the model as it is: it would write what that meant
	if (!pieces.every(isWords)) await betweenChanges(client, workspace);
	await lockDraft(client, workspace);
	const { model: before } = await readModel(client, workspace);
	const { set: after, refused } = applied(before, pieces);
	if (refused.length)
		throw new ModelMoved(
			`Somebody else changed ${modelPartName(before, refused[0].path)} meanwhile, and your edit of it was not stored.`
		);
	if (after === before) {
		const same = await revisionOf(client, workspace);
		return { revision: same, was: same, lost: 0 };
	}
	checkModel(after, false);
	const faults = newModelFaults(before, after);
	if (faults.length) throw new BadModel(faults);
	checkModel(after, true);
	await mayLose(client, workspace, before, after);
	const losing = new Losing(client, account, lost);
	await takeAway(losing, before, after);
	const becoming = await readOver(losing, before, after);
	if (losing.tooMany) {
		const values = losing.n === 1 ? '1 value' : `${losing.n} values`;
		throw new ModelMoved(
			lost
				? `${values} would be lost by it; ${lost} ${lost === 1 ? 'was' : 'were'} looked at. Look again.`
				: `${values} that records hold would be lost by it.`
		);
	}
	// from here on nobody reads these records until it is stored: what takes long is done
	await storeModel(client, workspace, before, after);
	for (const b of becoming) await b.fill(workspace);
	for (const t of after.types) await indexMatched(client, keysToMatch(t));
	const doubled = await indexUnique(client, workspace, before, after);
	if (doubled.length) throw new BadModel(doubled.map((d) => doubledFault(after, d)));
	await forgetWhoSetBefore(client, workspace, before, after);
	const names = new Set(
		pieces.map((p) => modelPartName(p.after === undefined ? before : after, p.path))
	);
	await note(client, account, 'changed the model', [...names].join(', '), {
		pieces,
		lost: losing.n
	});
	// one by the order of options is made anew where that is another now
	await queueIndexing(client, workspace, new Schema(after), null);
	return { ...(await counted(client, account)), lost: losing.n };
}

/**
 * Says of which record type the people who sign in are records: what rules read of the person is read there.
 * @param type null for none @throws {BadModel} where there is no such type, or what is in force would no longer run
 */
export async function changePersonType(
	client: PoolClient,
	account: Account,
	type: string | null
): Promise<void> {
	const { workspace } = account;
	await betweenChanges(client, workspace);
	await lockDraft(client, workspace);
	const { model: before } = await readModel(client, workspace);
	if ((before.personType ?? null) === type) return;
	const refused = (message: string) => new BadModel([{ path: ['personType'], message }]);
	const is = before.types.find((t) => t.id === type);
	if (type !== null && !is) throw refused('There is no such record type.');
	const after: Model = { ...before, personType: type ?? undefined };
	const schemas = { before: new Schema(before), after: new Schema(after) };
	const { force } = await brokenBy(client, workspace, schemas);
	if (force.length) {
		const number = await releaseInForce(client, workspace);
		throw refused(
			`Release ${number}, which is in force, would no longer run: ${force[0]} Release rules that do without it first.`
		);
	}
	const stood = await storePersonType(client, workspace, type);
	await note(client, account, 'changed the model', 'The people who sign in', {
		personType: type,
		was: before.personType ?? null,
		stood
	});
	await counted(client, account);
}

/** What is said of records that hold the same where no two may. */
function doubledFault(model: Model, { type, field, values, first }: Doubled): ModelFault {
	const { plural } = model.types.find((t) => t.id === type)!;
	const shown = first.map(({ value, ids }) => `“${value}” by No. ${ids.join(' and ')}`);
	const more = values > first.length ? `, and ${values - first.length} more` : '';
	return {
		path: ['types', type, 'fields', field.id, 'unique'],
		message: `Several ${plural.toLowerCase()} have the same ${field.label}: ${shown.join(', ')}${more}. Give them different ones first.`
	};
}

/**
 * What an edit takes from records: counted as it is met, and noted in their history by whom and when, some at a time:
 * there may be a million of them.
 */
class Losing {
	/** Values that are lost so far. */
	n = 0;
	#change: string | null = null;

	/** @param may how many the sender has seen: beyond that the edit is refused, and nothing is noted any more */
	constructor(
		readonly client: PoolClient,
		private readonly account: Account,
		private readonly may: number
	) {}

	get workspace() {
		return this.account.workspace;
	}

	get tooMany() {
		return this.n > this.may;
	}

	async take(
		type: string,
		field: string,
		because: string,
		values: readonly { id: string; was: Value }[]
	) {
		this.n += values.length;
		if (this.tooMany || !values.length) return;
		this.#change ??= await this.#begun();
		await addToHistory(
			this.client,
			this.#change,
			values.map(({ id: record, was }) => ({
				type,
				record,
				field,
				was: toJson(was),
				now: null,
				claim: null,
				ruleName: null,
				because,
				outcome: 'set' as const
			}))
		);
	}

	/** The change in which the values go. */
	async #begun(): Promise<string> {
		const { client, account, workspace } = this;
		const release = await releaseInForce(client, workspace);
		const [number] = await nextChanges(client, 1);
		await writeHistory(
			client,
			workspace,
			// the moment at which the fields become what they are, so that they are read as what they were
			{ at: await momentOf(client), account: account.id, entryPoint: 'model', release },
			[{ number, lines: [], quiet: [], submission: null, made: new Set() }]
		);
		return number;
	}
}

/** What the fields hold that an edit takes out is lost. */
async function takeAway(losing: Losing, before: Model, after: Model) {
	for (const loss of lossesBetween(before, after)) {
		if (loss.what !== 'field') continue;
		const { type } = loss;
		const field = new Schema(before).field(type, loss.field)!;
		const at = { type, field };
		await eachValue(losing.client, losing.workspace, before.zone, at, (values) =>
			losing.take(
				type,
				field.id,
				'the field was removed',
				values.map(({ id, value }) => ({ id, was: value }))
			)
		);
	}
}

/** @throws {BadModel} when something still speaks of what is taken away, or records hold it */
async function mayLose(client: PoolClient, workspace: string, before: Model, after: Model) {
	const losses: (ModelLoss | ModelPart)[] = [
		...lossesBetween(before, after),
		...listsGone(before, after)
	];
	if (!losses.length) return;
	const set = await withLiving(client, workspace, (await readDraft(client, workspace)).set);
	const trials = await listTrials(client, workspace);
	const schema = new Schema(before, { definitions: set.definitions, tables: set.tables });
	const faults: ModelFault[] = [];
	for (const loss of losses) {
		if ('what' in loss && loss.what === 'values') continue;
		const { part, path, label } = partOf(before, loss);
		const speakers = speakersOf(schema, set, trials, part).filter((s) => s.kind !== 'form');
		// what goes in the same edit stands in nobody's way
		const standing = speakers.filter((s) => s.kind !== 'field' || stillThere(after, s.id));
		if (standing.length) {
			const [s] = standing;
			const more = standing.length > 1 ? ` and ${standing.length - 1} more` : '';
			faults.push({
				path,
				message: `${label} cannot be removed while “${s.name}”${more} ${more ? 'speak' : 'speaks'} of it.`
			});
		}
		const held = await heldBy(client, workspace, before, part);
		if (held)
			faults.push({
				path,
				message: `${label} cannot be removed while ${held}. Retire it instead: it stays where it is and is offered nowhere.`
			});
	}
	if (faults.length) throw new BadModel(faults);
	const { force } = await brokenBy(client, workspace, {
		before: new Schema(before),
		after: new Schema(after)
	});
	if (!force.length) return;
	const number = await releaseInForce(client, workspace);
	throw new BadModel([
		{
			path: partOf(before, losses[0]).path,
			message: `Release ${number}, which is in force, would no longer run: ${force[0]} Release rules that do without it first.`
		}
	]);
}

const stillThere = (model: Model, key: string) =>
	model.types.some((t) => t.fields.some((f) => `${t.id}.${f.id}` === key));

/** Lists and options that an edit takes out. */
function listsGone(before: Model, after: Model): ModelPart[] {
	return before.lists.flatMap((l): ModelPart[] => {
		const now = after.lists.find((x) => x.id === l.id);
		if (!now) return [{ is: 'list', list: l.id }];
		if (now === l) return [];
		return l.options
			.filter((o) => !now.options.some((x) => x.id === o.id))
			.map((o) => ({ is: 'option', list: l.id, option: o.id }));
	});
}

function partOf(model: Model, loss: ModelLoss | ModelPart) {
	const part: ModelPart =
		'is' in loss
			? loss
			: loss.what === 'type'
				? { is: 'type', type: loss.type }
				: { is: 'field', type: loss.type, field: loss.field };
	if (part.is === 'type' || part.is === 'field') {
		const t = model.types.find((x) => x.id === part.type)!;
		if (part.is === 'type') return { part, path: ['types', t.id], label: t.label };
		const f = t.fields.find((x) => x.id === part.field)!;
		return { part, path: ['types', t.id, 'fields', f.id], label: f.label };
	}
	const l = model.lists.find((x) => x.id === part.list)!;
	if (part.is === 'list') return { part, path: ['lists', l.id], label: l.label };
	const o = l.options.find((x) => x.id === part.option)!;
	return { part, path: ['lists', l.id, 'options', o.id], label: `“${o.label}”` };
}

/** What records hold of a part that is to be removed, in words; null when nothing stands against it. */
async function heldBy(
	client: PoolClient,
	workspace: string,
	model: Model,
	part: ModelPart
): Promise<string | null> {
	if (part.is === 'type') {
		const t = model.types.find((x) => x.id === part.type)!;
		const { records } = await countHeld(client, workspace, { id: t.id, fields: [] });
		return records ? `there are ${records} ${t.plural.toLowerCase()}` : null;
	}
	if (part.is !== 'option') return null;
	const all = await countOptions(client, workspace, model, part.list);
	const found = all.filter((x) => x.option === part.option);
	if (!found.length) return null;
	const [{ type, records }] = found;
	const plural = model.types.find((t) => t.id === type)!.plural.toLowerCase();
	return `${records} ${plural}${found.length > 1 ? ' and others' : ''} hold it`;
}

/**
 * Works out what values are as those of their new types; those that cannot be are lost, and nobody set what is not there.
 * @returns what records are to hold once the model is stored
 */
async function readOver(losing: Losing, before: Model, after: Model): Promise<Becoming[]> {
	const { client, workspace } = losing;
	const schemas = { before: new Schema(before), after: new Schema(after) };
	const retyped = after.types.flatMap((t): Retyped[] =>
		t.fields.flatMap((to) => {
			const from = schemas.before.field(t.id, to.id);
			return from && !holdsTheSame(from, to) ? [{ type: t.id, from, to }] : [];
		})
	);
	const all: Becoming[] = [];
	for (const what of retyped) {
		const { type, to } = what;
		const becoming = await Becoming.begin(client, type, to, all.length);
		all.push(becoming);
		await eachConverted(client, workspace, what, schemas, async (values) => {
			const kept: { id: string; value: Value }[] = [];
			const lost: { id: string; was: Value }[] = [];
			for (const { id, was, read } of values)
				if (read.ok && read.value !== null) kept.push({ id, value: read.value });
				else lost.push({ id, was });
			const because = 'the field became another kind, which cannot hold it';
			await losing.take(type, to.id, because, lost);
			// it is refused: what is left of it is only counted
			if (losing.tooMany) return;
			await becoming.keep(kept);
			const ids = lost.map((l) => l.id);
			if (ids.length) await forgetSetBy(client, workspace, type, to.id, ids);
		});
	}
	return all;
}

/** What a field held that was removed, and whose identity another has now, was set by nobody. */
async function forgetWhoSetBefore(
	client: PoolClient,
	workspace: string,
	before: Model,
	after: Model
) {
	const past = new Set(
		(await readPastFields(client, workspace)).map((p) => refKey(p.type, p.field.id))
	);
	const schema = new Schema(before);
	for (const t of after.types)
		for (const { id } of t.fields) {
			const isNew = !schema.types.has(t.id) || !schema.field(t.id, id);
			if (isNew && past.has(refKey(t.id, id))) await forgetSetBy(client, workspace, t.id, id, null);
		}
}
