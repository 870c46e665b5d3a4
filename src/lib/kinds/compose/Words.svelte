<script lang="ts">
	import type { BodyOf } from '$core';
	import type { WordsProps } from '../view';

	let { rule, i }: WordsProps<BodyOf<'compose'>> = $props();
</script>

the text{rule.outputs.length > 1 ? ` ${i + 1}` : ''} below
