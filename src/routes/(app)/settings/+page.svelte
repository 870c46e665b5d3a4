<script lang="ts">
	import { page } from '$app/state';
	import { invalidateAll } from '$app/navigation';
	import { KEY_TYPES } from '$core';
	import { describeField } from '$lib/words/format';
	import { Reorder } from '$lib/grid/reorder.svelte';
	import Choose from '$lib/inputs/Choose.svelte';
	import Form from '$lib/inputs/Form.svelte';
	import { tell } from '$lib/shell/notices';
	import { act } from '$lib/inputs/act';
	import type { Refused } from '$lib/work/http';
	import { useWorkbench } from '$lib/work/workbench.svelte';

	let { data, form } = $props();
	const w = useWorkbench();
	let typeId = $state('customer');
	// a finding about the forms of a type leads here
	$effect(() => {
		const id = page.url.hash.replace('#type-', '');
		if (w.schema.types.has(id)) typeId = id;
	});
	let listId = $state('country');
	let kind = $state('text');
	const type = $derived(w.schema.type(typeId).type);
	const groups = $derived([...new Set(type.fields.map((f) => f.group))]);
	let newList = $derived(w.model.lists[0]?.id ?? '');
	let newTarget = $derived(w.model.types[0]?.id ?? '');
	let newGroup = $derived(groups[0] ?? '');
	const list = $derived(w.schema.lists.get(listId)!);
	const admin = $derived(w.account.role === 'administrator');
	const KINDS: [string, string][] = [
		['text', 'text'],
		['number', 'number'],
		['money', 'amount'],
		['percent', 'percentage'],
		['date', 'date'],
		['moment', 'date and time'],
		['yesno', 'yes or no'],
		['choice', 'choice'],
		['choices', 'multi-choice'],
		['link', 'link'],
		['email', 'e-mail address'],
		['phone', 'telephone number']
	];

	// ---- the order of options -------------------------------------------------------------------

	let orderTrouble = $state('');
	/** As it was put, until the server has it. */
	let put = $state.raw<{ list: string; ids: string[] } | null>(null);
	const options = $derived(
		put?.list === list.id
			? [...list.options].sort((a, b) => put!.ids.indexOf(a.id) - put!.ids.indexOf(b.id))
			: list.options
	);
	const order = new Reorder<(typeof list.options)[number]>({
		items: () => options,
		label: () => `the options of ${list.label}`,
		disabled: () => !w.canEdit,
		move: (from, to) => {
			const ids = options.map((o) => o.id);
			const [id] = ids.splice(from, 1);
			ids.splice(to, 0, id);
			put = { list: list.id, ids };
			void store(list.id, id, to);
		}
	});
	async function store(of: string, id: string, to: number) {
		try {
			await act('moveOption', { list: of, id, to: String(to) });
			orderTrouble = '';
			tell(`The order of ${list.label} is stored.`);
		} catch (e) {
			orderTrouble = `The order is as it was: ${(e as Refused).message}`;
		}
		await invalidateAll();
		put = null;
	}
</script>

<svelte:head><title>Settings · Rigid Rule</title></svelte:head>

<div class="max-w-5xl px-6 pt-3 pb-10">
	<h1 class="text-xl">Settings</h1>
	<noscript>
		<p class="min-h-6" role="status">
			{#if form && 'message' in form && form.message}<span class="text-brick">● {form.message}</span
				>{:else if form && 'done' in form && form.done}{form.done}{/if}
		</p>
	</noscript>
	{#if orderTrouble}<p class="text-brick" role="alert">● {orderTrouble}</p>{/if}

	<section class="mt-1 border border-line bg-sheet p-5">
		<div class="flex items-center gap-3">
			<h2>Fields of</h2>
			<Choose
				label="Record type"
				value={typeId}
				choices={w.model.types.map((t) => ({ value: t.id, label: t.label }))}
				onpick={(v) => (typeId = v)}
			/>
		</div>
		<div class="mt-2 max-h-72 overflow-y-auto">
			<table class="grid-table text-sm">
				<thead><tr><th>Name</th><th>Identity</th><th>What it is</th><th></th></tr></thead>
				<tbody>
					{#each type.fields as f (f.id)}
						<tr class:text-quiet={f.retired}>
							<td>
								{#if w.canEdit}
									<Form
										name="editField"
										action="?/editField"
										class="flex max-w-[420px] flex-wrap gap-2"
										keep
									>
										<input type="hidden" name="type" value={type.id} /><input
											type="hidden"
											name="id"
											value={f.id}
										/>
										<input
											class="box w-40"
											name="label"
											value={f.label}
											aria-label="Name of {f.label}"
										/>
										{#if f.type === 'link'}
											<input
												class="box w-28"
												name="inverse"
												value={f.inverse ?? ''}
												placeholder="other side"
												title="What the other side of the link is called in formulas"
												aria-label="Other side of {f.label}"
											/>
											<label class="flex items-center gap-1 whitespace-nowrap"
												><input
													type="checkbox"
													name="blanks"
													checked={f.whenDeleted === 'blank'}
													aria-label="{f.label} becomes blank when its record is deleted"
												/>blanks on deletion</label
											>
										{/if}
										{#if KEY_TYPES.includes(f.type)}
											<label
												class="flex items-center gap-1"
												title="Other systems know the record by it: imports and the API may give links by its value"
												><input
													type="checkbox"
													name="key"
													checked={!!f.key}
													aria-label="{f.label} is a key"
												/>key</label
											>
										{/if}
										<button class="textlink">Store</button>
										<button class="textlink" name="retire" value="1"
											>{f.retired ? 'Take back' : 'Retire'}</button
										>
									</Form>
								{:else}{f.label}{/if}
							</td>
							<td class="mono text-quiet">{f.id}</td>
							<td>{describeField(f, w.schema)}{f.retired ? ', retired' : ''}</td>
							<td><a class="textlink" href="/write/{type.id}/{f.id}">Rules</a></td>
						</tr>
					{/each}
				</tbody>
			</table>
		</div>
		{#if w.canEdit}
			<Form name="addField" action="?/addField" class="mt-3 flex flex-wrap items-end gap-2">
				<input type="hidden" name="type" value={type.id} />
				<label class="text-sm"
					>New field<br /><input class="box w-44" name="label" required maxlength="80" /></label
				>
				<span class="text-sm"
					>What it is<br /><Choose
						label="What it is"
						value={kind}
						name="kind"
						choices={KINDS.map(([v, l]) => ({ value: v, label: l }))}
						onpick={(v) => (kind = v)}
					/></span
				>
				{#if kind === 'choice' || kind === 'choices'}<span class="text-sm"
						>Options<br /><Choose
							label="Options"
							value={newList}
							name="list"
							choices={w.model.lists.map((l) => ({ value: l.id, label: l.label }))}
							onpick={(v) => (newList = v)}
						/></span
					>{/if}
				{#if kind === 'link'}<span class="text-sm"
						>Links to<br /><Choose
							label="Links to"
							value={newTarget}
							name="target"
							choices={w.model.types.map((t) => ({ value: t.id, label: t.label }))}
							onpick={(v) => (newTarget = v)}
						/></span
					><label class="text-sm"
						>Other side is called<br /><input
							class="box w-32"
							name="inverse"
							maxlength="80"
							placeholder={type.plural}
						/></label
					>{/if}
				{#if kind === 'number'}<label class="text-sm"
						>Unit<br /><input class="box w-20" name="unit" maxlength="20" /></label
					>{:else if kind === 'money'}<label class="text-sm"
						>Currency<br /><input
							class="box w-28"
							name="unit"
							maxlength="20"
							placeholder="EUR"
							title="A code such as EUR, or the name of the choice on the same record that tells it"
						/></label
					>{/if}
				<span class="text-sm"
					>Heading<br /><Choose
						label="Heading"
						value={newGroup}
						name="group"
						choices={groups.map((g) => ({ value: g, label: g }))}
						onpick={(v) => (newGroup = v)}
					/></span
				>
				<button class="button">Add the field</button>
			</Form>
		{/if}
	</section>

	<section class="mt-4 border border-line bg-sheet p-5">
		<div class="flex items-center gap-3">
			<h2>Options of</h2>
			<Choose
				label="Option list"
				value={listId}
				choices={w.model.lists.map((l) => ({ value: l.id, label: l.label }))}
				onpick={(v) => (listId = v)}
			/>
		</div>
		<table class="grid-table mt-2 text-sm">
			<thead
				><tr><th class="text-right">Position</th><th>Name</th><th>Identity</th><th></th></tr></thead
			>
			<tbody use:order.zone={w.canEdit}>
				{#each order.shown as o, i (o.id)}
					<tr class:text-quiet={o.retired} data-dragged={o.id}>
						<td class="mono text-right"
							>{#if w.canEdit}<span
									class="inline-block min-h-6 min-w-6 cursor-grab text-right"
									{...order.handle(i, o.label)}>{i + 1}</span
								>{:else}{i + 1}{/if}</td
						>
						<td>
							{#if w.canEdit}
								<Form name="editOption" action="?/editOption" class="flex gap-2" keep>
									<input type="hidden" name="list" value={list.id} /><input
										type="hidden"
										name="id"
										value={o.id}
									/>
									<input
										class="box w-52"
										name="label"
										value={o.label}
										aria-label="Name of {o.label}"
									/>
									<input
										class="box mono w-20"
										name="code"
										value={o.code ?? ''}
										maxlength="20"
										placeholder="code"
										title="By which other systems know it, such as its ISO code"
										aria-label="Code of {o.label}"
									/>
									<button class="textlink">Store</button>
									<button class="textlink" name="retire" value="1"
										>{o.retired ? 'Take back' : 'Retire'}</button
									>
								</Form>
							{:else}{o.label}{/if}
						</td>
						<td class="mono text-quiet">{o.id}</td>
						<td>{o.retired ? 'retired: stays where it is set, cannot be chosen anew' : ''}</td>
					</tr>
				{/each}
			</tbody>
		</table>
		{#if w.canEdit}
			<Form name="addOption" action="?/addOption" class="mt-3 flex items-end gap-2">
				<input type="hidden" name="list" value={list.id} />
				<label class="text-sm"
					>New option<br /><input class="box w-52" name="label" required maxlength="80" /></label
				>
				<button class="button">Add the option</button>
			</Form>
		{/if}
	</section>

	{#if admin}
		<section class="mt-4 border border-line bg-sheet p-5">
			<h2>Tokens for the API</h2>
			{#if form && 'token' in form && form.token}
				<p class="mt-2 bg-ochre-wash p-3">
					This token is shown once. Keep it where passwords are kept:<br /><code
						class="mono font-semibold break-all"
						data-testid="token">{form.token}</code
					>
				</p>
			{/if}
			<table class="grid-table mt-2 text-sm">
				<thead><tr><th>Name</th><th>Acts as</th><th>Made</th><th></th></tr></thead>
				<tbody>
					{#each data.tokens as t (t.id)}
						<tr
							><td>{t.name}</td><td>{t.who}</td><td class="mono">{t.created}</td><td
								>{#if t.revoked}<span class="text-quiet">revoked</span>{:else}<Form
										name="revoke"
										action="?/revoke"
									>
										<input type="hidden" name="id" value={t.id} /><button class="textlink"
											>Revoke</button
										>
									</Form>{/if}</td
							></tr
						>
					{:else}<tr><td colspan="4" class="text-quiet">No tokens yet.</td></tr>{/each}
				</tbody>
			</table>
			<Form name="token" action="?/token" class="mt-3 flex items-end gap-2">
				<label class="text-sm"
					>Name of a new token<br /><input
						class="box w-52"
						name="label"
						required
						maxlength="80"
						placeholder="Web shop"
					/></label
				>
				<button class="button">Make a token</button>
			</Form>
		</section>
	{/if}

	<section class="mt-4 border border-line bg-sheet p-5">
		<h2>People</h2>
		<table class="grid-table mt-2 text-sm">
			<thead><tr><th>Name</th><th>E-mail</th><th>Role</th></tr></thead>
			<tbody
				>{#each data.people as p (p.id)}<tr><td>{p.name}</td><td>{p.email}</td><td>{p.role}</td></tr
					>{/each}</tbody
			>
		</table>
	</section>
</div>
