<script lang="ts">
	/** The three inputs by which a password is changed. */
	let { old = 'Present password' }: { old?: string } = $props();
</script>

<label class="text-sm"
	>{old}<br /><input
		class="box w-full"
		type="password"
		name="old"
		autocomplete="current-password"
	/></label
>
<label class="text-sm"
	>New password, at least ten characters<br /><input
		class="box w-full"
		type="password"
		name="next"
		autocomplete="new-password"
	/></label
>
<label class="text-sm"
	>Once more<br /><input
		class="box w-full"
		type="password"
		name="again"
		autocomplete="new-password"
	/></label
>
