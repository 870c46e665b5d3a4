<script lang="ts">
	/** A mark at a part of a rule: whether any trial gets there. Nothing until that is known. */
	import { partPoint } from '$core';
	import { useWorkbench } from '../work/workbench.svelte';

	let {
		rule,
		part,
		what
	}: {
		rule: string;
		/** The part: its number, option or case, or `blank`. */
		part: string;
		/** What is tried of it, where that does not go without saying. */
		what?: string;
	} = $props();
	const w = useWorkbench();
	const by = $derived(
		w.covering.rules.has(rule) ? (w.covering.triedBy(partPoint(rule, part)) ?? 0) : null
	);
	const says = $derived(
		(what ? `${what}: ` : '') +
			(by ? `tried by ${by} ${by === 1 ? 'trial' : 'trials'}` : 'not tried')
	);
</script>

{#if by !== null}<a
		class="mark {by ? 'text-quiet' : 'text-ochre'}"
		href="/try?view=untried&rule={encodeURIComponent(rule)}"
		title={says}
		tabindex="-1"
		><span aria-hidden="true">{by ? '●' : '○'}</span><span class="sr-only">{says}</span></a
	>{/if}

<style>
	.mark {
		display: inline-block;
		padding: 0 4px;
		font-size: 9px;
		line-height: 24px;
		text-decoration: none;
		vertical-align: middle;
	}
</style>
