<script lang="ts">
	import type { CasesBody } from '$core';
	import type { WordsProps } from '../view';

	let { rule, i }: WordsProps<CasesBody> = $props();
</script>

the first case that is so{rule.outputs.length > 1 && i > 0 ? `, its value ${i + 1}` : ''}
