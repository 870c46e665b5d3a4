<script lang="ts">
	/** What a case gives a field: its words, and below them what needs room. */
	import type { CaseGives, Field, Schema } from '$core';
	import Given from '../../inputs/Given.svelte';
	import GivenMore from '../../inputs/GivenMore.svelte';

	let {
		outcomes,
		...rest
	}: {
		given: CaseGives;
		field: Field;
		schema: Schema;
		/** Record type whose fields it speaks of. */
		type: string;
		/** What it is for, for those who do not see where it stands. */
		label: string;
		/** What may be said instead of a value. */
		outcomes: readonly { value: 'nothing' | 'leave' | 'clear'; label: string }[];
		disabled: boolean;
		onchange: (g: CaseGives) => void;
	} = $props();
</script>

<Given {...rest} {outcomes} />
<div class="w-full"><GivenMore {...rest} /></div>
