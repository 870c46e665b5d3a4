<script lang="ts">
	/**
	 * A text of the model that is stored when it is left or Enter is pressed. What is refused stays as it
	 * was typed, with the reason below; Escape takes back what was typed.
	 */
	import type { ModelFault } from '$core';

	let {
		value,
		label,
		class: look = '',
		placeholder,
		max = 80,
		list,
		disabled = false,
		onstore
	}: {
		value: string;
		/** What is named here, for those who do not see it. */
		label: string;
		class?: string;
		placeholder?: string;
		max?: number;
		/** A `datalist` with what is usual here. */
		list?: string;
		disabled?: boolean;
		onstore: (text: string) => Promise<readonly ModelFault[]>;
	} = $props();

	const uid = $props.id();
	let typed = $state<string | null>(null);
	let fault = $state('');

	async function store() {
		const text = (typed ?? value).trim();
		if (text === value) {
			typed = null;
			fault = '';
			return;
		}
		const [first] = await onstore(text);
		fault = first?.message ?? '';
		if (!first) typed = null;
	}
	function key(e: KeyboardEvent) {
		if (e.key === 'Enter') {
			e.preventDefault();
			void store();
		} else if (e.key === 'Escape' && typed !== null) {
			e.stopPropagation();
			typed = null;
			fault = '';
		}
	}
</script>

<span class="inline-block min-w-0 {look}">
	<input
		class="box w-full"
		value={typed ?? value}
		maxlength={max}
		{placeholder}
		{list}
		{disabled}
		aria-label={label}
		aria-invalid={fault ? true : undefined}
		aria-describedby={fault ? `${uid}-fault` : undefined}
		oninput={(e) => (typed = e.currentTarget.value)}
		onchange={() => void store()}
		onkeydown={key}
	/>
	{#if fault}<span id="{uid}-fault" class="block text-sm text-brick" role="alert">● {fault}</span
		>{/if}
</span>
