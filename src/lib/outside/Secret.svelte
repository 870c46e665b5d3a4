<script lang="ts">
	/** Something secret that is shown this once, to be taken along. */
	let { secret, says }: { secret: string; says: string } = $props();
	let copied = $state(false);
	$effect(() => {
		void secret;
		copied = false;
	});
</script>

<div class="mt-3 border border-ink bg-ochre-wash px-4 py-2 text-sm" role="status">
	<p>{says}</p>
	<p class="mt-1 flex flex-wrap items-center gap-3">
		<code class="mono break-all select-all">{secret}</code>
		<button
			type="button"
			class="textlink"
			onclick={() =>
				void navigator.clipboard.writeText(secret).then(
					() => (copied = true),
					() => undefined
				)}>{copied ? '✓ copied' : 'Copy'}</button
		>
	</p>
</div>
