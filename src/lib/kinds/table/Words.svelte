<script lang="ts">
	import type { BodyOf } from '$core';
	import type { WordsProps } from '../view';

	let { rule, i }: WordsProps<BodyOf<'table'>> = $props();
</script>

what the table below gives{rule.outputs.length > 1 ? ` in its result ${i + 1}` : ''}
