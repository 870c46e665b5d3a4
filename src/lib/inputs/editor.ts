/**
 * The editor of formulas, cells and composed texts, over CodeMirror. Loaded when the first one is
 * shown or entered; what it knows of the language comes from the core.
 */
import {
	acceptCompletion,
	autocompletion,
	closeBrackets,
	closeBracketsKeymap,
	completionKeymap,
	startCompletion,
	type Completion as Offered
} from '@codemirror/autocomplete';
import { defaultKeymap, history, historyKeymap } from '@codemirror/commands';
import { Annotation, Compartment, EditorState, StateEffect, StateField } from '@codemirror/state';
import {
	Decoration,
	EditorView,
	keymap,
	placeholder,
	showTooltip,
	WidgetType,
	type DecorationSet,
	type Tooltip
} from '@codemirror/view';
import type { Completion, Completions, Fault } from '$core/feel/language';
import { tokens } from '$core/feel/language';

/** What is written here, and what helps with it. */
export interface Language {
	/** What may be put in at a place. @param asked by a key */
	complete(text: string, pos: number, asked: boolean): Completions | null;
	/** The function whose brackets a place lies in. */
	help(text: string, pos: number): Completion | null;
	/** The stretches that are formulas: the whole, or what stands in braces. */
	formulas(text: string): { from: number; to: number }[];
	/** Running text, in which each formula in braces is shown as a chip while the cursor is elsewhere. */
	chips: boolean;
	/** The value of an own field in the sample, in words; empty when there is none. */
	value(field: string): string;
}

export interface EditorOptions {
	parent: HTMLElement;
	text: string;
	label: string;
	placeholder: string;
	language: Language;
	onchange(text: string): void;
	onfocus(): void;
	onblur(): void;
	onkeydown?(e: KeyboardEvent): void;
}

export interface SourceEditor {
	/** Takes a text from outside, unless it is the one that stands here. */
	take(text: string): void;
	/** Marks what cannot be read. */
	mark(fault: Fault | undefined, describedby: string | undefined): void;
	/** Takes the keyboard, with a selection from one place to another. */
	focus(selected?: { from: number; to: number }): void;
	insert(text: string): void;
	destroy(): void;
}

const setFault = StateEffect.define<{ from: number; to: number } | null>();
const FAULT = Decoration.mark({ class: 'cm-fault' });
const faults = StateField.define<DecorationSet>({
	create: () => Decoration.none,
	update(marks, tr) {
		let next = marks.map(tr.changes);
		for (const e of tr.effects)
			if (e.is(setFault)) {
				const { length } = tr.state.doc;
				const from = Math.min(e.value?.from ?? 0, length);
				const to = Math.min(Math.max(e.value?.to ?? 0, from + 1), length);
				next = e.value && from < to ? Decoration.set(FAULT.range(from, to)) : Decoration.none;
			}
		return next;
	},
	provide: (f) => EditorView.decorations.from(f)
});

const MARKS = Object.fromEntries(
	['text', 'number', 'name', 'function', 'word', 'comment'].map((what) => [
		what,
		Decoration.mark({ class: `cm-${what}` })
	])
);

/** Colours for what a text is made of. */
const colours = (language: Language) =>
	EditorView.decorations.compute(['doc'], (state) => {
		const text = state.doc.toString();
		return Decoration.set(
			language
				.formulas(text)
				.flatMap(({ from, to }) =>
					tokens(text.slice(from, to)).map((t) => MARKS[t.what].range(from + t.from, from + t.to))
				)
		);
	});

/** What stands in braces, as one thing in running text. A click opens it to be written. */
class Chip extends WidgetType {
	constructor(
		readonly text: string,
		readonly value: string
	) {
		super();
	}
	override eq(other: Chip) {
		return other.text === this.text && other.value === this.value;
	}
	override toDOM(view: EditorView) {
		const dom = document.createElement('span');
		dom.className = 'cm-chip';
		dom.textContent = this.text;
		dom.title = this.value
			? `${this.value} for the sample; click to write it`
			: 'Click to write it';
		dom.addEventListener('mousedown', (e) => {
			e.preventDefault();
			// inside its braces, where it is a text again
			view.dispatch({ selection: { anchor: view.posAtDOM(dom) + 1 + this.text.length } });
			view.focus();
		});
		return dom;
	}
	override ignoreEvent() {
		return false;
	}
}

/** Chips for all formulas in braces but the one in which the cursor is. */
const chips = (language: Language) => {
	const shown = StateField.define<DecorationSet>({
		create: (state) => chipsOf(state, language),
		update: (set, tr) => (tr.docChanged || tr.selection ? chipsOf(tr.state, language) : set),
		provide: (f) => EditorView.decorations.from(f)
	});
	return [shown, EditorView.atomicRanges.of((view) => view.state.field(shown))];
};

function chipsOf(state: EditorState, language: Language): DecorationSet {
	const text = state.doc.toString();
	const { from: a, to: b } = state.selection.main;
	return Decoration.set(
		language.formulas(text).flatMap(({ from, to }) => {
			const inside = text.slice(from, to).trim();
			const open = (a >= from && a <= to) || (b >= from && b <= to);
			if (!inside || open || text[to] !== '}') return [];
			const chip = new Chip(text.slice(from, to), language.value(inside));
			return [Decoration.replace({ widget: chip }).range(from - 1, to + 1)];
		})
	);
}

/** What the function at the cursor does, below the line. */
const help = (language: Language) =>
	showTooltip.compute(['doc', 'selection'], (state): Tooltip | null => {
		const pos = state.selection.main.head;
		const f = language.help(state.doc.toString(), pos);
		if (!f) return null;
		return {
			pos,
			above: true,
			create: () => {
				const dom = document.createElement('div');
				dom.className = 'cm-signature';
				const head = dom.appendChild(document.createElement('strong'));
				head.textContent = f.detail;
				dom.appendChild(document.createTextNode(` ${f.help ?? ''}`));
				return { dom };
			}
		};
	});

const SIGN: Record<Completion['what'], string> = {
	field: '◇',
	related: '⇉',
	option: '▪',
	function: 'ƒ',
	definition: '≔',
	word: ' '
};

const offered = (c: Completion, language: Language): Offered & { sign: string; value: string } => ({
	label: c.label,
	detail: c.detail,
	sign: SIGN[c.what],
	value: c.field === undefined ? '' : language.value(c.field),
	...(c.help ? { info: c.help } : {}),
	apply: (view, _, from, to) => {
		// a quote that stands behind already is not doubled
		const doc = view.state.doc.toString();
		const end = /["']$/.test(c.insert) && doc[to] === c.insert.at(-1) ? to + 1 : to;
		view.dispatch({
			changes: { from, to: end, insert: c.insert },
			selection: { anchor: from + c.insert.length - (c.back ?? 0) },
			userEvent: 'input.complete'
		});
	}
});

const fromOutside = Annotation.define<boolean>();

export function createEditor(o: EditorOptions): SourceEditor {
	const attributes = new Compartment();
	const { language } = o;
	const of = (describedby?: string, invalid = false) =>
		EditorView.contentAttributes.of({
			'aria-label': o.label,
			'aria-invalid': String(invalid),
			spellcheck: 'false',
			autocorrect: 'off',
			...(describedby ? { 'aria-describedby': describedby } : {})
		});
	const nonce = document.querySelector<HTMLMetaElement>('meta[name="style-nonce"]')?.content;
	const view: EditorView = new EditorView({
		parent: o.parent,
		state: EditorState.create({
			doc: o.text,
			extensions: [
				...(nonce ? [EditorView.cspNonce.of(nonce)] : []),
				EditorView.domEventHandlers({
					keydown: (e) => {
						o.onkeydown?.(e);
						return e.defaultPrevented;
					},
					focus: () => o.onfocus(),
					blur: () => o.onblur()
				}),
				history(),
				closeBrackets(),
				autocompletion({
					override: [
						({ pos, state, explicit }) => {
							const c = language.complete(state.doc.toString(), pos, explicit);
							if (!c?.items.length) return null;
							return {
								from: c.from,
								options: c.items.map((i) => offered(i, language)),
								filter: false
							};
						}
					],
					icons: false,
					addToOptions: [
						{
							position: 20,
							render: (c) => {
								const s = document.createElement('span');
								s.className = 'cm-sign';
								s.textContent = (c as ReturnType<typeof offered>).sign;
								return s;
							}
						},
						{
							position: 90,
							render: (c) => {
								const { value } = c as ReturnType<typeof offered>;
								if (!value) return null;
								const s = document.createElement('span');
								s.className = 'cm-sample';
								s.textContent = value;
								return s;
							}
						}
					]
				}),
				keymap.of([
					{ key: 'Tab', run: acceptCompletion },
					// the usual key is taken by input methods on some systems
					{ key: 'Alt-Space', run: startCompletion },
					...closeBracketsKeymap,
					...completionKeymap,
					...historyKeymap,
					...defaultKeymap
				]),
				EditorView.lineWrapping,
				...(o.placeholder ? [placeholder(o.placeholder)] : []),
				attributes.of(of()),
				faults,
				colours(language),
				...(language.chips ? chips(language) : []),
				help(language),
				EditorView.updateListener.of((u) => {
					if (u.docChanged && !u.transactions.some((t) => t.annotation(fromOutside)))
						o.onchange(u.state.doc.toString());
				})
			]
		})
	});
	return {
		take(text) {
			const now = view.state.doc.toString();
			if (text === now) return;
			view.dispatch({
				changes: { from: 0, to: now.length, insert: text },
				annotations: fromOutside.of(true)
			});
		},
		mark(fault, describedby) {
			view.dispatch({
				effects: [
					setFault.of(fault ? { from: fault.from, to: fault.to } : null),
					attributes.reconfigure(of(describedby, !!fault))
				]
			});
		},
		focus(selected) {
			view.focus();
			if (!selected) return;
			const within = (n: number) => Math.min(n, view.state.doc.length);
			view.dispatch({
				selection: { anchor: within(selected.from), head: within(selected.to) }
			});
		},
		insert(text) {
			const { from, to } = view.state.selection.main;
			const before = view.state.sliceDoc(Math.max(0, from - 1), from);
			const space = before && !/[\s(.[{]/.test(before) ? ' ' : '';
			view.dispatch({
				changes: { from, to, insert: space + text },
				selection: { anchor: from + space.length + text.length },
				userEvent: 'input'
			});
			view.focus();
		},
		destroy: () => view.destroy()
	};
}
