<script lang="ts">
	/** Light, dark, or as the system has it; kept for this browser. */
	import { DropdownMenu } from 'bits-ui';
	import Check from '@lucide/svelte/icons/check';
	import SunMoon from '@lucide/svelte/icons/sun-moon';
	import { onMount } from 'svelte';

	const THEMES = [
		['', 'As the system'],
		['light', 'Light'],
		['dark', 'Dark']
	] as const;
	let theme = $state('');
	onMount(() => {
		theme = document.documentElement.dataset.theme ?? '';
	});
	function pick(t: string) {
		theme = t;
		document.documentElement.dataset.theme = t;
		document.cookie = `theme=${t}; path=/; max-age=${t ? 31_536_000 : 0}; samesite=lax`;
	}
</script>

<DropdownMenu.Root>
	<DropdownMenu.Trigger class="grid h-7 w-7 place-items-center" aria-label="Light or dark">
		<SunMoon size={16} aria-hidden="true" />
	</DropdownMenu.Trigger>
	<DropdownMenu.Portal>
		<DropdownMenu.Content
			align="end"
			sideOffset={4}
			class="menu z-50 min-w-40 border border-ink bg-sheet py-1"
		>
			{#each THEMES as [value, label] (value)}
				<DropdownMenu.Item class="item flex items-center gap-2" onSelect={() => pick(value)}>
					<span class="w-4"
						>{#if theme === value}<Check size={14} aria-label="chosen" />{/if}</span
					>
					{label}
				</DropdownMenu.Item>
			{/each}
		</DropdownMenu.Content>
	</DropdownMenu.Portal>
</DropdownMenu.Root>
