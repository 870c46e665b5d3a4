<script lang="ts">
	/** What two versions of a rule say otherwise, part by part. */
	import type { Rule } from '$core';
	import { differences } from '$core';
	import { useWorkbench } from '../work/workbench.svelte';
	import Parts from './Parts.svelte';

	let { before, after }: { before: Rule | null; after: Rule | null } = $props();

	const w = useWorkbench();
</script>

<Parts all={differences(before, after, w.schema, w.sayValue)} />
