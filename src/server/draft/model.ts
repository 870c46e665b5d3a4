/** Edits of the live model: what stands in their way is said, and what they take away is known before. */
import type { JsonValue, Model, ModelFault, ModelLoss, ModelPart, Piece } from '../../core';
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
	dropFormerColumn,
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
import { nextChanges, writeHistory } from '../db/history';
import { listTrials, lockDraft, readDraft, releaseInForce, withLiving } from '../db/rules';
import type { Account } from '../people/accounts';
import { eachValue, forgetSetBy } from '../db/values';
import { counted, revisionOf, type Step } from './revision';
import { brokenBy, carryOver, type Retyped } from './convert';

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
	const lines = await takenAway(client, workspace, before, after);
	await storeModel(client, workspace, before, after);
	for (const t of after.types) await indexMatched(client, keysToMatch(t));
	lines.push(...(await carryAll(client, workspace, before, after)));
	const doubled = await indexUnique(client, workspace, before, after);
	if (doubled.length) throw new BadModel(doubled.map((d) => doubledFault(after, d)));
	if (lines.length > lost)
		throw new ModelMoved(
			lost
				? `${lines.length} values would be lost by it; ${lost} were looked at. Look again.`
				: `${lines.length} values that records hold would be lost by it.`
		);
	await noteLost(client, account, lines);
	await forgetWhoSet(client, workspace, before, after, lines);
	const names = new Set(
		pieces.map((p) => modelPartName(p.after === undefined ? before : after, p.path))
	);
	await note(client, account, 'changed the model', [...names].join(', '), {
		pieces,
		lost: lines.length
	});
	// one by the order of options is made anew where that is another now
	await queueIndexing(client, workspace, new Schema(after), null);
	return { ...(await counted(client, account)), lost: lines.length };
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

/** A value that is no longer there. */
interface Lost {
	type: string;
	record: string;
	field: string;
	was: JsonValue;
}

/** What the fields hold that an edit takes out. */
async function takenAway(
	client: PoolClient,
	workspace: string,
	before: Model,
	after: Model
): Promise<Lost[]> {
	const lines: Lost[] = [];
	for (const loss of lossesBetween(before, after)) {
		if (loss.what !== 'field') continue;
		const { type } = loss;
		const field = new Schema(before).field(type, loss.field)!;
		const at = { type, field, former: false };
		await eachValue(client, workspace, before.zone, at, async (values) => {
			for (const { id, value } of values)
				lines.push({ type, record: id, field: field.id, was: toJson(value) });
		});
	}
	return lines;
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

/** Carries values over to their new types. @returns those that cannot be */
async function carryAll(
	client: PoolClient,
	workspace: string,
	before: Model,
	after: Model
): Promise<Lost[]> {
	const schemas = { before: new Schema(before), after: new Schema(after) };
	const retyped = after.types.flatMap((t): Retyped[] =>
		t.fields.flatMap((to) => {
			const from = schemas.before.field(t.id, to.id);
			return from && !holdsTheSame(from, to) ? [{ type: t.id, from, to }] : [];
		})
	);
	const lines: Lost[] = [];
	for (const what of retyped) {
		const lost = await carryOver(client, workspace, what, schemas);
		for (const { id, was } of lost)
			lines.push({ type: what.type, record: id, field: what.to.id, was: toJson(was) });
		await dropFormerColumn(client, what.type, what.to.id);
	}
	return lines;
}

/** Who set what is lost, and what a field held that was removed and whose identity another has now, set nothing that is there. */
async function forgetWhoSet(
	client: PoolClient,
	workspace: string,
	before: Model,
	after: Model,
	lost: readonly Lost[]
) {
	const ids = new Map<string, string[]>();
	for (const l of lost) {
		const key = refKey(l.type, l.field);
		const of = ids.get(key);
		if (of) of.push(l.record);
		else ids.set(key, [l.record]);
	}
	const past = new Set(
		(await readPastFields(client, workspace)).map((p) => refKey(p.type, p.field.id))
	);
	const schema = new Schema(before);
	for (const t of after.types)
		for (const { id: field } of t.fields) {
			const key = refKey(t.id, field);
			const isNew = !schema.types.has(t.id) || !schema.field(t.id, field);
			if (isNew ? past.has(key) : ids.has(key))
				await forgetSetBy(client, workspace, t.id, field, isNew ? null : ids.get(key)!);
		}
}

/** What is lost stands in the history of its record, by whom and when. */
async function noteLost(client: PoolClient, account: Account, lost: readonly Lost[]) {
	if (!lost.length) return;
	const { workspace, id } = account;
	const release = await releaseInForce(client, workspace);
	const [number] = await nextChanges(client, 1);
	const rest = { now: null, claim: null, ruleName: null, outcome: 'set' as const };
	const there = new Schema((await readModel(client, workspace)).model);
	const why = (l: Lost) =>
		there.types.has(l.type) && there.field(l.type, l.field)
			? 'the field became another kind, which cannot hold it'
			: 'the field was removed';
	await writeHistory(
		client,
		workspace,
		// the moment at which the fields became what they are, so that they are read as what they were
		{ at: await momentOf(client), account: id, entryPoint: 'model', release },
		[
			{
				number,
				lines: lost.map((l) => ({ ...l, ...rest, because: why(l) })),
				quiet: [],
				submission: null,
				made: new Set()
			}
		]
	);
}
