/** The kinds of rules as they are shown; their meaning is in `core/kinds`. A kind without a view does not compile. */
import type { Body, BodyKind, BodyOf } from '$core';
import AllowedEditor from './allowed/Editor.svelte';
import AllowedWords from './allowed/Words.svelte';
import BandsEditor from './bands/Editor.svelte';
import BandsEvidence from './bands/Evidence.svelte';
import BandsWords from './bands/Words.svelte';
import CasesEditor from './cases/Editor.svelte';
import CasesWords from './cases/Words.svelte';
import CheckEditor from './check/Editor.svelte';
import CheckWords from './check/Words.svelte';
import ComposeAfter from './compose/After.svelte';
import ComposeEditor from './compose/Editor.svelte';
import ComposeWords from './compose/Words.svelte';
import FormulaEditor from './formula/Editor.svelte';
import FormulaWords from './formula/Words.svelte';
import LookupAfter from './lookup/After.svelte';
import LookupEditor from './lookup/Editor.svelte';
import LookupWords from './lookup/Words.svelte';
import MatchAfter from './match/After.svelte';
import MatchEditor from './match/Editor.svelte';
import MatchWords from './match/Words.svelte';
import MessageAfter from './message/After.svelte';
import MessageEditor from './message/Editor.svelte';
import OptionsEditor from './options/Editor.svelte';
import OptionsWords from './options/Words.svelte';
import SplitAfter from './split/After.svelte';
import SplitEditor from './split/Editor.svelte';
import SplitWords from './split/Words.svelte';
import StateEditor from './state/Editor.svelte';
import StateWords from './state/Words.svelte';
import TableEditor from './table/Editor.svelte';
import TableEvidence from './table/Evidence.svelte';
import TableWords from './table/Words.svelte';
import type { View } from './view';

const VIEWS: { readonly [K in BodyKind]: View<BodyOf<K>> } = {
	formula: { words: FormulaWords, after: null, editor: FormulaEditor, evidence: null },
	bands: { words: BandsWords, after: null, editor: BandsEditor, evidence: BandsEvidence },
	cases: { words: CasesWords, after: null, editor: CasesEditor, evidence: null },
	options: { words: OptionsWords, after: null, editor: OptionsEditor, evidence: null },
	compose: { words: ComposeWords, after: ComposeAfter, editor: ComposeEditor, evidence: null },
	split: { words: SplitWords, after: SplitAfter, editor: SplitEditor, evidence: null },
	table: { words: TableWords, after: null, editor: TableEditor, evidence: TableEvidence },
	lookup: { words: LookupWords, after: LookupAfter, editor: LookupEditor, evidence: null },
	match: { words: MatchWords, after: MatchAfter, editor: MatchEditor, evidence: null },
	message: { words: null, after: MessageAfter, editor: MessageEditor, evidence: null },
	check: { words: CheckWords, after: null, editor: CheckEditor, evidence: null },
	state: { words: StateWords, after: null, editor: StateEditor, evidence: null },
	allowed: { words: AllowedWords, after: null, editor: AllowedEditor, evidence: null }
};

/** How a body is shown; its view takes bodies of its kind alone, which is the case here. */
export const viewOf = (body: Body) => VIEWS[body.kind] as unknown as View<Body>;
