/** The kinds of rules as they are shown; their meaning is in `core/kinds`. A kind without a view does not compile. */
import type { Component } from 'svelte';
import type { Body, BodyKind, BodyOf } from '$core';
import AllowedWords from './allowed/Words.svelte';
import BandsEvidence from './bands/Evidence.svelte';
import BandsWords from './bands/Words.svelte';
import CasesWords from './cases/Words.svelte';
import CheckWords from './check/Words.svelte';
import ComposeAfter from './compose/After.svelte';
import ComposeWords from './compose/Words.svelte';
import FormulaWords from './formula/Words.svelte';
import LookupAfter from './lookup/After.svelte';
import LookupWords from './lookup/Words.svelte';
import MatchAfter from './match/After.svelte';
import MatchWords from './match/Words.svelte';
import MessageAfter from './message/After.svelte';
import OptionsWords from './options/Words.svelte';
import SplitAfter from './split/After.svelte';
import SplitWords from './split/Words.svelte';
import StateWords from './state/Words.svelte';
import TableEvidence from './table/Evidence.svelte';
import TableWords from './table/Words.svelte';
import type { EditorProps, View } from './view';

const VIEWS: { readonly [K in BodyKind]: View<BodyOf<K>> } = {
	formula: {
		words: FormulaWords,
		after: null,
		editor: () => import('./formula/Editor.svelte'),
		evidence: null
	},
	bands: {
		words: BandsWords,
		after: null,
		editor: () => import('./bands/Editor.svelte'),
		evidence: BandsEvidence
	},
	cases: {
		words: CasesWords,
		after: null,
		editor: () => import('./cases/Editor.svelte'),
		evidence: null
	},
	options: {
		words: OptionsWords,
		after: null,
		editor: () => import('./options/Editor.svelte'),
		evidence: null
	},
	compose: {
		words: ComposeWords,
		after: ComposeAfter,
		editor: () => import('./compose/Editor.svelte'),
		evidence: null
	},
	split: {
		words: SplitWords,
		after: SplitAfter,
		editor: () => import('./split/Editor.svelte'),
		evidence: null
	},
	table: {
		words: TableWords,
		after: null,
		editor: () => import('./table/Editor.svelte'),
		evidence: TableEvidence
	},
	lookup: {
		words: LookupWords,
		after: LookupAfter,
		editor: () => import('./lookup/Editor.svelte'),
		evidence: null
	},
	match: {
		words: MatchWords,
		after: MatchAfter,
		editor: () => import('./match/Editor.svelte'),
		evidence: null
	},
	message: {
		words: null,
		after: MessageAfter,
		editor: () => import('./message/Editor.svelte'),
		evidence: null
	},
	check: {
		words: CheckWords,
		after: null,
		editor: () => import('./check/Editor.svelte'),
		evidence: null
	},
	state: {
		words: StateWords,
		after: null,
		editor: () => import('./state/Editor.svelte'),
		evidence: null
	},
	allowed: {
		words: AllowedWords,
		after: null,
		editor: () => import('./allowed/Editor.svelte'),
		evidence: null
	}
};

const here: { [K in BodyKind]?: Component<EditorProps<Body>> } = {};

async function fetched(kind: BodyKind) {
	const { default: editor } = await VIEWS[kind].editor();
	// it takes bodies of its kind alone, which is what it gets
	return (here[kind] = editor as unknown as Component<EditorProps<Body>>);
}

/** What rules of these kinds are edited with, or of all, fetched before one of them is opened. */
export const fetchEditors = (kinds = Object.keys(VIEWS) as BodyKind[]) =>
	Promise.allSettled(kinds.map(fetched));

/** What a body is edited with: at hand, or on its way. */
export const editorOf = (kind: BodyKind) => here[kind] ?? fetched(kind);

/** How a body is shown; its view takes bodies of its kind alone, which is the case here. */
export const viewOf = (body: Body) => VIEWS[body.kind] as unknown as View<Body>;
