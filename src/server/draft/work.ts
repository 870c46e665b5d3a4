/**
 * What every page works on: the model, the draft, what is in force. It is kept from one request to the next and
 * read anew only where a step was stored since, so that a page costs the same however many rules there are.
 */
import type { Model, ReferenceTable, RuleSet } from '../../core';
import { canonicalJson } from '../../core';
import { readModel } from '../db/model';
import type { Db } from '../db/pool';
import {
	acceptedOf,
	authorsOf,
	hashOfDraft,
	readDraft,
	readRelease,
	rulesOf,
	standOf,
	trialsMark,
	type Stand
} from '../db/rules';

/** A release as pages get it; what it has in common with the draft is the very same object. */
export interface ReleaseSet {
	/** 0 while nothing is in force, whose set is empty. */
	number: number;
	set: RuleSet;
}

export interface Work {
	stand: Stand;
	model: Model;
	draft: RuleSet;
	/** Who stored each part of the draft last. */
	authors: Record<string, string>;
	draftHash: string;
	trials: { count: number; mark: string };
	inForce: ReleaseSet;
	/** Of the pilot that is on. */
	pilot: ReleaseSet | null;
}

/** What belongs to one stand of the draft and the model. */
interface Kept extends Pick<Work, 'model' | 'draft' | 'draftHash' | 'trials'> {
	of: string;
	/** Releases that pages worked on beside this draft, by number: a release never changes. */
	releases: Map<number, ReleaseSet>;
}

const NOTHING: ReleaseSet = { number: 0, set: { rules: [], order: {} } };
/** Of each workspace that was asked for. */
const kept = new Map<string, Kept>();

/** All of it as it stands. */
export async function readWork(db: Db, workspace: string): Promise<Work> {
	// read first: a step that comes between is told anew, and none is missed
	const stand = await standOf(db, workspace);
	const [had, accepted, authors] = await Promise.all([
		keptAt(db, workspace, stand),
		// neither raises the revision: a finding is accepted beside the draft, and people change their names
		acceptedOf(db, workspace),
		authorsOf(db, workspace)
	]);
	const { model, draftHash, trials } = had;
	const [inForce, pilot] = await Promise.all([
		releaseBeside(db, workspace, had, stand.release),
		stand.pilot && releaseBeside(db, workspace, had, stand.pilot.release)
	]);
	const draft = { ...had.draft, accepted };
	return { stand, model, draft, authors, draftHash, trials, inForce: inForce ?? NOTHING, pilot };
}

async function keptAt(db: Db, workspace: string, stand: Stand): Promise<Kept> {
	const had = kept.get(workspace);
	if (had?.of === stand.mark) return had;
	const [{ model }, { set }, trials] = await Promise.all([
		readModel(db, workspace),
		readDraft(db, workspace),
		trialsMark(db, workspace)
	]);
	const { accepted: _, ...draft } = set;
	const made: Kept = {
		of: stand.mark,
		model,
		draft,
		draftHash: hashOfDraft(draft, model),
		trials,
		releases: new Map()
	};
	kept.set(workspace, made);
	return made;
}

async function releaseBeside(
	db: Db,
	workspace: string,
	{ draft, releases }: Kept,
	number: number
): Promise<ReleaseSet | null> {
	const had = releases.get(number);
	if (had) return had;
	const doc = number ? await readRelease(db, workspace, number) : null;
	if (!doc) return null;
	const made = { number, set: sharing(rulesOf(doc), draft) };
	releases.set(number, made);
	return made;
}

/**
 * A rule set in which all parts that say the same as those of another are the very same objects: so they are sent to
 * a page once, and what differs is found without comparing what they say.
 */
export function sharing(set: RuleSet, other: RuleSet): RuleSet {
	const shared = <T extends { id: string }>(mine: readonly T[], theirs: readonly T[]): T[] => {
		const by = new Map(theirs.map((x) => [x.id, x]));
		return mine.map((x) => {
			const y = by.get(x.id);
			return y && canonicalJson(y) === canonicalJson(x) ? y : x;
		});
	};
	const tables: ReferenceTable[] = shared(set.tables ?? [], other.tables ?? []);
	return {
		...set,
		rules: shared(set.rules, other.rules),
		definitions: shared(set.definitions ?? [], other.definitions ?? []),
		tables
	};
}
