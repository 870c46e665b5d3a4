<script lang="ts" module>
	/** Something that can be chosen by typing part of its name. */
	export interface Found {
		id: string;
		label: string;
		/** Under which it stands. */
		group?: string;
		help?: string;
		/** What it is found by besides. */
		also?: string;
	}

	/** Those in which every word typed stands somewhere, such as begin with it first. */
	export function matching<T extends Found>(all: readonly T[], typed: string): T[] {
		const words = typed.toLowerCase().split(/\s+/).filter(Boolean);
		if (!words.length) return [...all];
		const text = (f: T) => `${f.label} ${f.group ?? ''} ${f.also ?? ''}`.toLowerCase();
		const rank = (f: T) =>
			f.label.toLowerCase().startsWith(words[0])
				? 0
				: f.label.toLowerCase().includes(words[0])
					? 1
					: 2;
		return all
			.filter((f) => words.every((w) => text(f).includes(w)))
			.map((f, i) => ({ f, i, r: rank(f) }))
			.sort((a, b) => a.r - b.r || a.i - b.i)
			.map((x) => x.f);
	}
</script>

<script lang="ts">
	/** One of many, found by typing: a word or box that opens a list with the focus in its search. */
	import { Command, Popover } from 'bits-ui';
	import ChevronDown from '@lucide/svelte/icons/chevron-down';

	let {
		text,
		label,
		choices,
		look = 'box',
		tone = '',
		open: wanted = false,
		unsaid = false,
		wide = false,
		disabled = false,
		id,
		class: more = '',
		onpick
	}: {
		/** What is shown while it is closed. */
		text: string;
		/** What is chosen here. */
		label: string;
		/** Asked when it opens. */
		choices: () => readonly Found[];
		look?: 'box' | 'word';
		tone?: '' | 'reads' | 'writes';
		/** Open from the start. */
		open?: boolean;
		/** Nothing is chosen yet. */
		unsaid?: boolean;
		/** What each means stands below it. */
		wide?: boolean;
		disabled?: boolean;
		id?: string;
		class?: string;
		onpick: (id: string) => void;
	} = $props();

	/** Most that are shown at once; typing finds the others. */
	const MOST = 200;
	// svelte-ignore state_referenced_locally
	let open = $state(wanted);
	let typed = $state('');
	let trigger = $state<HTMLElement | null>(null);
	let content = $state<HTMLElement | null>(null);
	/** The focus goes back to the word, unless what was chosen opened the next one. */
	function closed(e: Event) {
		e.preventDefault();
		const at = document.activeElement;
		if (!at || at === document.body || content?.contains(at)) trigger?.focus();
	}
	const all = $derived(open ? choices() : []);
	const found = $derived(matching(all, typed));
	const groups = $derived.by(() => {
		const out: { name: string; items: Found[] }[] = [];
		for (const f of found.slice(0, MOST)) {
			const name = f.group ?? '';
			const had = out.find((g) => g.name === name);
			if (had) had.items.push(f);
			else out.push({ name, items: [f] });
		}
		return out;
	});
</script>

{#if disabled}
	<span class={look === 'word' ? `word ${tone}` : 'inline-block py-1'}>{text}</span>
{:else}
	<!-- a flex box, since white space that the parts leave between them would part the word from its comma -->
	<span class={look === 'word' ? 'inline-flex items-baseline' : 'contents'}>
		<Popover.Root
			bind:open
			onOpenChange={(now) => {
				if (!now) typed = '';
			}}
		>
			<Popover.Trigger
				bind:ref={trigger}
				{id}
				class="{look === 'word'
					? `word ${tone} ${text.length < 4 ? 'short' : ''}`
					: 'box choose inline-flex items-center gap-1'} {unsaid ? 'unsaid' : ''} {more}"
				aria-label="{label}: {text}"
			>
				{#if look === 'box'}
					<span class="grow truncate text-left">{text}</span>
					<ChevronDown size={13} class="shrink-0 text-quiet" aria-hidden="true" />
				{:else}{text}{/if}
			</Popover.Trigger>
			<Popover.Portal>
				<Popover.Content
					bind:ref={content}
					sideOffset={3}
					align="start"
					class="searchpick {wide ? 'widepick' : ''} z-50 border border-ink bg-sheet"
					aria-label={label}
					onCloseAutoFocus={closed}
				>
					<Command.Root shouldFilter={false} loop {label}>
						<Command.Input
							class="w-full border-0 border-b border-line bg-transparent px-3 py-2 outline-none"
							placeholder="Type to find"
							aria-label="{label}: find"
							bind:value={typed}
						/>
						<Command.List class="searchlist" aria-label={label}>
							<Command.Viewport>
								{#if !found.length}
									<p class="px-3 py-2 text-quiet">Nothing is called so.</p>
								{/if}
								{#each groups as g (g.name)}
									<Command.Group value={g.name || 'all'}>
										{#if g.name}<Command.GroupHeading
												class="px-3 pt-2 pb-0.5 text-xs font-semibold text-quiet"
												>{g.name}</Command.GroupHeading
											>{/if}
										<Command.GroupItems>
											{#each g.items as f (f.id)}
												<Command.Item
													value={f.id}
													class="flex min-h-7 cursor-pointer gap-x-3 px-3 py-1 data-selected:bg-band-1 {wide
														? 'flex-col'
														: 'items-baseline'}"
													onSelect={() => {
														open = false;
														typed = '';
														onpick(f.id);
													}}
												>
													<span class={wide ? 'font-medium' : 'grow'}>{f.label}</span>
													{#if f.help}<span class="text-xs text-quiet">{f.help}</span>{/if}
												</Command.Item>
											{/each}
										</Command.GroupItems>
									</Command.Group>
								{/each}
								{#if found.length > MOST}
									<p class="px-3 py-2 text-xs text-quiet">
										{found.length - MOST} more: type to find them.
									</p>
								{/if}
							</Command.Viewport>
						</Command.List>
					</Command.Root>
				</Popover.Content>
			</Popover.Portal>
		</Popover.Root>
	</span>
{/if}

<style>
	:global(.searchpick) {
		width: 340px;
		max-width: calc(100vw - 32px);
	}
	:global(.widepick) {
		width: 440px;
	}
	:global(.searchlist) {
		max-height: 300px;
		overflow-y: auto;
		padding: 4px 0;
	}
</style>
