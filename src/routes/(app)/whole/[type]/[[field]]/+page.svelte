<script lang="ts">
	import Whole from '$lib/whole/Whole.svelte';

	let { params } = $props();
</script>

<Whole type={params.type} field={params.field ?? null} />
