<script lang="ts">
	import '@fontsource-variable/archivo';
	import '@fontsource-variable/spline-sans-mono';
	import '$lib/tokens.css';

	let { children } = $props();
</script>

{@render children()}
