/**
 * Every address of the application, and the right that each of its doings asks for. The hook holds
 * requests to it before anything of them is read; the tests try every role at every line; docs/routes.md
 * is made of it.
 */
import type { Right } from '../../door/rights';

/** A right; `anyone`, without signing in; `self`, whoever is signed in, for what is theirs. */
export type Asks = Right | 'anyone' | 'self';

export interface Doing {
	asks: Asks;
	/** What it does, in words. */
	does: string;
}

/** By method; an action of a page as `POST ?/name`. */
export type Doings = Readonly<Record<string, Doing>>;

const look = (does: string): Doings => ({ GET: { asks: 'look', does } });

/** By the identity that SvelteKit has for the route. */
export const ROUTES: Readonly<Record<string, Doings>> = {
	// ---- the API -------------------------------------------------------------------------------
	'/api/v1/batch': {
		POST: {
			asks: 'change',
			does: 'creates and changes several records, as one change or each for itself'
		}
	},
	'/api/v1/records/[type]': { POST: { asks: 'change', does: 'creates a record' } },
	'/api/v1/records/[type]/[id]': {
		GET: { asks: 'look', does: 'one record, with who set each value' },
		PATCH: { asks: 'change', does: 'changes a record' }
	},
	'/api/v1/bundle': {
		GET: { asks: 'look', does: 'the draft or a release as a bundle, for checks elsewhere' }
	},
	'/api/v1/tables/[id]/rows': {
		GET: { asks: 'look', does: 'a reference table as it is in force, with its rows' },
		PATCH: {
			asks: 'look',
			does: 'edits rows of a living table by their keys: whoever was given it, and administrators'
		}
	},
	'/api/v1/people': {
		GET: { asks: 'people', does: 'who may sign in, and services' },
		POST: { asks: 'people', does: 'adds a person; the password is told once' }
	},
	'/api/v1/people/[id]': {
		GET: { asks: 'people', does: 'a person' },
		PATCH: {
			asks: 'people',
			does: 'changes name, address or role of a person, retires them, or takes them back'
		}
	},
	'/api/v1/people/[id]/password': {
		POST: { asks: 'people', does: 'gives a person a new password; their sessions end' }
	},
	'/api/v1/people/[id]/sessions': {
		DELETE: { asks: 'people', does: 'ends the sessions of a person' }
	},
	'/api/v1/openapi.json': {
		GET: { asks: 'anyone', does: 'what the API takes and gives, as OpenAPI 3.1' }
	},
	'/metrics': { GET: { asks: 'operate', does: 'what is measured of the server, for Prometheus' } },
	// ---- signing in ----------------------------------------------------------------------------
	'/health': { GET: { asks: 'anyone', does: 'whether the server is alive' } },
	'/ready': { GET: { asks: 'anyone', does: 'whether it can work' } },
	'/sign-in': {
		GET: { asks: 'anyone', does: 'the page to sign in' },
		POST: { asks: 'anyone', does: 'signs in' }
	},
	'/first': {
		GET: { asks: 'anyone', does: 'the page to make the first administrator' },
		POST: { asks: 'anyone', does: 'makes them, with the code from the log, once' }
	},
	'/sign-out': { POST: { asks: 'anyone', does: 'ends the session that asks' } },
	'/password': {
		GET: { asks: 'self', does: 'the page to change a password that was told' },
		POST: { asks: 'self', does: 'changes it' }
	},
	'/(app)/account': {
		GET: { asks: 'self', does: 'one’s own account and sessions' },
		'POST ?/password': { asks: 'self', does: 'changes one’s own password' },
		'POST ?/end': { asks: 'self', does: 'ends one’s own sessions' }
	},
	// ---- pages ---------------------------------------------------------------------------------
	'/(app)': look('the ledger of fields and rules'),
	'/(app)/write/[type]/[field]': look('the sheet of a field, with its sample'),
	'/(app)/check': look('findings'),
	'/(app)/try': look('trials'),
	'/(app)/rehearse': look(
		'what one version would change against another, in existing records or in what was done'
	),
	'/(app)/release': look('what a release would change, and the releases'),
	'/(app)/definitions': look('definitions'),
	'/(app)/tables/[id]': look('a reference table'),
	'/(app)/tables': look('reference tables'),
	'/tables/[id]/rows': {
		GET: {
			asks: 'look',
			does: 'the rows of a living table as a file, also as they stood after an edit'
		},
		POST: {
			asks: 'look',
			does: 'edits rows of a living table: whoever was given it, and administrators'
		}
	},
	'/tables/[id]/standing/[mark]': {
		GET: { asks: 'look', does: 'the rows of a living table as one of its edits left them' }
	},
	'/tables/[id]/rows/look': {
		POST: { asks: 'look', does: 'rehearses an edit of rows: whoever may make it' }
	},
	'/tables/[id]/rows/[edit]': {
		GET: { asks: 'look', does: 'what an edit of rows did' },
		POST: { asks: 'look', does: 'takes an edit of rows back: whoever may make one' }
	},
	'/tables/[id]/editors': {
		PUT: { asks: 'settings', does: 'says who may edit the rows of a table' }
	},
	'/(app)/indexes': look('indexes that lists have, and that are proposed'),
	'/list-indexes': {
		POST: {
			asks: 'operate',
			does: 'wants indexes of lists, or wants them no more; a job makes them'
		}
	},
	'/(app)/model': look('the model'),
	'/(app)/model/[type]/[[field]]': look('a record type and its fields'),
	'/(app)/options/[list]': look('an option list'),
	'/(app)/whole/[type]/[[field]]': look('how a field or type hangs together with others'),
	'/(app)/versions/[rule]': look('versions of a rule'),
	'/(app)/release/[number]': look(
		'one release: what it changed, what was so when it was made, when it was in force'
	),
	'/(app)/bundle': look('the draft or a release as a bundle, and what taking one in would do'),
	'/(app)/compare': look('two versions, compared'),
	'/(app)/paper/[release]': look('a rule sheet to print'),
	'/(app)/journal': look('what rules did'),
	'/(app)/journal/[rule]': look('what one rule did'),
	'/(app)/outbox': {
		GET: { asks: 'look', does: 'messages and what became of them' },
		'POST ?/again': { asks: 'operate', does: 'hands a message over again' },
		'POST ?/answers': { asks: 'operate', does: 'says how the stand-in for a mail system answers' }
	},
	'/(app)/webhooks': {
		GET: { asks: 'look', does: 'addresses that are told of changes of records' },
		'POST ?/make': { asks: 'operate', does: 'makes a webhook; its secret is told once' }
	},
	'/(app)/webhooks/[id]': {
		GET: { asks: 'look', does: 'what one of them was told, and is to be told' },
		'POST ?/change': { asks: 'operate', does: 'changes it, pauses it, switches it on or off' },
		'POST ?/secret': { asks: 'operate', does: 'gives it a new secret, told once' },
		'POST ?/again': { asks: 'operate', does: 'sends again what did not arrive, or one event' },
		'POST ?/skip': { asks: 'operate', does: 'leaves out an event that waits' },
		'POST ?/answers': { asks: 'operate', does: 'says how the stand-in receiver answers' },
		'POST ?/remove': { asks: 'operate', does: 'deletes it' }
	},
	'/outside/receiver/[hook]': {
		POST: { asks: 'anyone', does: 'the stand-in receiver of a webhook: takes what is signed' }
	},
	'/(app)/lead-source': {
		GET: { asks: 'look', does: 'the stand-in for a source of leads, and what it posted' },
		'POST ?/start': { asks: 'operate', does: 'has it post leads through the API for a while' },
		'POST ?/stop': { asks: 'operate', does: 'stops it' }
	},
	'/(app)/records': look('the first record type'),
	'/(app)/line': look('values that are not as the rules in force would have them'),
	'/(app)/bulk/[id]': look('what a bulk change would do, and did'),
	'/(app)/records/[type]': look('records of a type'),
	'/(app)/records/[type]/[id]': look('a record with its history'),
	'/(app)/records/[type]/[id]/deleted': look('a record that was deleted: what it held'),
	'/(app)/records/[type]/new': look('the form of a new record'),
	'/(app)/records/[type]/import': {
		GET: { asks: 'import', does: 'the page of the import' },
		POST: { asks: 'import', does: 'takes a file in, to be looked at' }
	},
	'/(app)/imports/[id]': {
		GET: {
			asks: 'import',
			does: 'a file taken in: its columns, how far it is, what became of its rows'
		},
		'POST ?/try': { asks: 'import', does: 'tries it; nothing is stored' },
		'POST ?/begin': { asks: 'import', does: 'imports it' }
	},
	'/imports/[id]/back': {
		POST: { asks: 'import', does: 'looks at what taking an import back would do' }
	},
	'/imports/[id]/file': {
		GET: { asks: 'import', does: 'rows with their outcome, or those to mend, as CSV' }
	},
	'/(app)/jobs': look('jobs and how far they are'),
	'/jobs/[id]': {
		GET: { asks: 'look', does: 'how far a job is' },
		PATCH: {
			asks: 'look',
			does: 'pauses a job of one’s own or goes on with it; any, for whoever operates'
		},
		DELETE: { asks: 'look', does: 'stops a job of one’s own; any, for whoever operates' }
	},
	'/(app)/people': {
		GET: { asks: 'look', does: 'people, roles and rights' },
		'POST ?/add': { asks: 'people', does: 'adds a person' },
		'POST ?/service': { asks: 'people', does: 'adds a service' },
		'POST ?/change': { asks: 'people', does: 'changes name, address or role of a person' },
		'POST ?/retire': { asks: 'people', does: 'retires a person' },
		'POST ?/takeBack': { asks: 'people', does: 'takes a retired person back' },
		'POST ?/password': { asks: 'people', does: 'gives a person a new password' },
		'POST ?/type': { asks: 'people', does: 'says of which record type people are records' }
	},
	'/(app)/audit': { GET: { asks: 'audit', does: 'who did what' } },
	'/audit/export': { GET: { asks: 'audit', does: 'the same as a file' } },
	'/(app)/settings': {
		GET: { asks: 'look', does: 'settings and tokens' },
		'POST ?/token': { asks: 'operate', does: 'makes a token' },
		'POST ?/revoke': { asks: 'operate', does: 'revokes a token' },
		'POST ?/keep': { asks: 'settings', does: 'says for how long what is kept' },
		'POST ?/releases': { asks: 'settings', does: 'says who may release whose edits' },
		'POST ?/gate': { asks: 'settings', does: 'says what has to be so before a release' }
	},
	// ---- what pages ask for --------------------------------------------------------------------
	'/save/[type]': {
		POST: { asks: 'change', does: 'saves a form' },
		DELETE: { asks: 'remove', does: 'deletes a record' }
	},
	'/save/[type]/[id]/again': {
		POST: { asks: 'remove', does: 'makes a deleted record again' }
	},
	'/draft': { PATCH: { asks: 'write', does: 'stores an edit of the draft' } },
	'/draft/model': { PATCH: { asks: 'model', does: 'changes the model' } },
	'/draft/accepted': {
		POST: {
			asks: 'write',
			does: 'accepts a finding; one that stops a release needs the right for it'
		},
		DELETE: { asks: 'write', does: 'takes that back' }
	},
	'/draft/kept/[id]': { POST: { asks: 'release', does: 'returns to a draft that was put aside' } },
	'/draft/events': {
		GET: { asks: 'look', does: 'tells of edits and of who works where, as server-sent events' }
	},
	'/draft/here': { POST: { asks: 'write', does: 'says in which rule one works' } },
	'/trials': {
		GET: { asks: 'look', does: 'the trials of the draft' },
		POST: { asks: 'write', does: 'stores several trials of the draft' }
	},
	'/trials/[id]': {
		PUT: { asks: 'write', does: 'stores a trial' },
		DELETE: { asks: 'write', does: 'removes a trial' }
	},
	'/lines': {
		GET: { asks: 'look', does: 'how many values are out of line' },
		POST: {
			asks: 'import',
			does: 'leaves values out of line as they are, takes them up again, or looks anew'
		}
	},
	'/bulks': {
		POST: { asks: 'import', does: 'looks at what would be done to many records at once' }
	},
	'/bulks/[id]': {
		POST: { asks: 'import', does: 'looks again at a bulk change, carries it out, or takes it back' }
	},
	'/views': { POST: { asks: 'change', does: 'keeps a list of records under a name' } },
	'/views/[id]': {
		PUT: { asks: 'change', does: 'changes a named list: one’s own, as administrator any' },
		DELETE: { asks: 'change', does: 'removes a named list: one’s own, as administrator any' }
	},
	'/journal/[rule]/export': look('the lines of the journal as CSV'),
	'/lists/[type]': look('the records of a list as CSV'),
	'/remarks': { POST: { asks: 'write', does: 'says something of a rule, a finding or a trial' } },
	'/remarks/[id]': {
		PUT: { asks: 'write', does: 'notes that a remark is settled, or open after all' }
	},
	'/rehearsal': {
		POST: {
			asks: 'write',
			does: 'rehearses the draft, a release or a version from a file on existing records, or replays what was done'
		}
	},
	'/rehearsals/[id]': look('what a rehearsal came to, in a few figures'),
	'/rehearsals/[id]/behind': look('the records or changes behind what a rehearsal tells'),
	'/rehearsals/[id]/looked': {
		PUT: { asks: 'write', does: 'notes that a surprise of a rehearsal was looked at' }
	},
	'/releases': { POST: { asks: 'release', does: 'releases the draft' } },
	'/releases/[number]': {
		GET: { asks: 'look', does: 'a release as a file' },
		POST: { asks: 'release', does: 'puts a release in force, or takes it as the draft' }
	},
	'/pilots': {
		POST: {
			asks: 'release',
			does: 'lets a release decide some records first, widens that, or ends it'
		}
	},
	'/(app)/pilot': look('the pilot: a release that decides some records first'),
	'/bundles': look('the draft or a release as a bundle'),
	'/dmn': {
		GET: { asks: 'look', does: 'rules as a DMN file' },
		POST: { asks: 'write', does: 'reads a DMN file; nothing is stored' }
	},
	'/look/finds': { POST: { asks: 'look', does: 'what a match would find' } },
	'/look/doubles': look('what several records hold by which each is to be known'),
	'/look/held': look('how many records hold something'),
	'/look/keys': { POST: { asks: 'look', does: 'records that a file of keys names' } },
	'/look/known': { POST: { asks: 'look', does: 'records that have some keys' } },
	'/look/links': look('records that a link could point to'),
	'/look/names': look('what things were called in releases'),
	'/look/near': { POST: { asks: 'look', does: 'records that rules read through links' } },
	'/look/pairs': look('how many records hold each pair of values'),
	'/look/retype': {
		POST: { asks: 'model', does: 'what another type would make of the values; nothing is stored' }
	},
	'/look/samples': look('records to choose a sample from'),
	'/look/spread': look('how the values of a field are spread'),
	'/look/suggest': { POST: { asks: 'write', does: 'rules that the records propose' } },
	'/look/titles': { POST: { asks: 'look', does: 'titles of records' } }
};

/** Which line of the table a request falls under; null where the address or method has none. */
export function doingOf(
	route: string | null,
	method: string,
	query: URLSearchParams
): Doing | null {
	const doings = route === null ? undefined : ROUTES[route];
	if (!doings) return null;
	if (method === 'HEAD' || method === 'OPTIONS') return doings.GET ?? null;
	const action = method === 'POST' && [...query.keys()].find((k) => k.startsWith('/'));
	const key = action ? `POST ?${action}` : method;
	return Object.hasOwn(doings, key) ? doings[key] : null;
}
