<script lang="ts">
	import { RIGHTS, ROLES, ROLE_SAYS, may, type Right } from '$door/rights';
	import { personShown } from '$door/shown';
	import Choose from '$lib/inputs/Choose.svelte';
	import Form from '$lib/inputs/Form.svelte';
	import LinkInput from '$lib/inputs/LinkInput.svelte';
	import { formatDate } from '$lib/words/format';
	import { useWorkbench } from '$lib/work/workbench.svelte';

	let { data, form } = $props();
	const w = useWorkbench();
	const admin = $derived(w.may('people'));
	const roles = $derived(ROLES.map((value) => ({ value, label: value, help: ROLE_SAYS[value] })));
	const once = $derived(form && 'once' in form ? form.once : null);
	const target = $derived(w.model.personType);
	type Person = (typeof data.people)[number];

	const SAYS = { name: 'name', email: 'e-mail', role: 'role', person: 'stands for' };
	/** The record type that was chosen, and how many stand for a record of the one it is now. */
	let stands = $state<string | null>(null);
	const standing = $derived(data.people.filter((p) => p.person).length);
	/** The person whose row is open, and what was chosen in it. */
	let open = $state<string | null>(null);
	let role = $state<string>('author');
	let person = $state<string | null>(null);
	let title = $state('');
	const focus = (node: HTMLInputElement) => node.focus();
	function begin(which: Person | 'service' | null) {
		const p = which === 'service' ? null : which;
		open = p ? (open === p.id ? null : p.id) : which === 'service' ? 'service' : 'new';
		role = p?.role ?? 'author';
		person = p?.person ?? null;
		title = p?.person ? (data.titles[p.person] ?? '') : '';
	}
</script>

<svelte:head><title>People · Rigid Rule</title></svelte:head>

{#snippet roleBox()}
	<span class="text-sm"
		>Role<br /><Choose
			label="Role"
			name="role"
			value={role}
			choices={roles}
			class="w-44"
			onpick={(v) => (role = v)}
		/></span
	>
{/snippet}

{#snippet inputs(p: Person | null)}
	{#if p}<input type="hidden" name="id" value={p.id} />{/if}
	<label class="text-sm"
		>Name<br /><input
			class="box w-48"
			name="name"
			value={p?.name ?? ''}
			maxlength="80"
			use:focus
		/></label
	>
	{#if !p?.service}<label class="text-sm"
			>E-mail<br /><input
				class="box w-60"
				name="email"
				type="email"
				value={p?.email ?? ''}
				maxlength="200"
				autocomplete="off"
			/></label
		>{/if}
	{@render roleBox()}
	{#if target && !p?.service}
		<span class="w-52 text-sm"
			><label for="person-{p?.id ?? 'new'}">Stands for</label><br /><LinkInput
				id="person-{p?.id ?? 'new'}"
				value={person}
				{title}
				{target}
				onchange={(v, t) => {
					person = typeof v === 'string' ? v : null;
					title = t;
				}}
			/></span
		>
	{/if}
	<input type="hidden" name="person" value={person ?? ''} />
{/snippet}

<div class="max-w-5xl px-6 pt-3 pb-10">
	<div class="flex items-center justify-between">
		<h1 class="text-xl">People</h1>
		{#if admin}<span class="flex gap-2"
				><button class="button" onclick={() => begin('service')}>New service</button><button
					class="button main"
					onclick={() => begin(null)}>New person</button
				></span
			>{/if}
	</div>
	<p class="text-quiet">
		Who may sign in. {#if admin}A retired person signs in nowhere and stays in what happened.{:else}Administrators
			add people and give roles.{/if}
	</p>
	{#if once}
		<p class="mt-2 bg-ochre-wash p-3" role="status">
			The password of {once.name} is shown once, and is changed at the next sign-in:<br /><code
				class="mono font-semibold"
				data-testid="password-once">{once.password}</code
			>
		</p>
	{/if}
	{#if admin && open === 'new'}
		<section class="mt-3 border border-line bg-sheet p-4" aria-label="A new person">
			<Form name="person" action="?/add" class="flex flex-wrap items-end gap-3">
				{@render inputs(null)}
				<button class="button">Add the person</button>
				<button type="button" class="textlink" onclick={() => (open = null)}>Leave it</button>
			</Form>
		</section>
	{/if}
	{#if admin && open === 'service'}
		<section class="mt-3 border border-line bg-sheet p-4" aria-label="A new service">
			<p class="text-sm">
				A program that uses the API under its own name. It has tokens, made under Settings, and no
				password.
			</p>
			<Form name="service" action="?/service" class="mt-2 flex flex-wrap items-end gap-3">
				<label class="text-sm"
					>Name<br /><input
						class="box w-48"
						name="name"
						maxlength="80"
						placeholder="Web shop"
						use:focus
					/></label
				>
				{@render roleBox()}
				<button class="button">Add the service</button>
				<button type="button" class="textlink" onclick={() => (open = null)}>Leave it</button>
			</Form>
		</section>
	{/if}
	<div class="ticks mt-3"></div>
	<table class="grid-table text-sm" aria-label="People">
		<thead
			><tr
				><th>Name</th><th>E-mail</th><th>Role</th><th>Stands for</th><th
					><span class="sr-only">What can be done</span></th
				></tr
			></thead
		>
		<tbody>
			{#each data.people as p (p.id)}
				<tr class:text-quiet={p.retired}>
					<td class="font-semibold">{p.name}</td>
					<td
						>{#if p.service}<span class="text-quiet">a service, by tokens</span
							>{:else}{p.email}{/if}</td
					>
					<td>{p.role}</td>
					<td
						>{#if p.person && target}<a class="textlink" href="/records/{target}/{p.person}"
								>{data.titles[p.person] ?? `No. ${p.person}`}</a
							>{/if}</td
					>
					<td class="whitespace-nowrap">
						{#if p.retired}retired {formatDate(p.retired)}
						{:else if p.mustChange}<span class="text-quiet">has not signed in yet</span>{/if}
						{#if admin}<button
								class="textlink ml-2"
								aria-expanded={open === p.id}
								aria-label="Change {p.name}"
								onclick={() => begin(p)}>{open === p.id ? 'close' : 'change'}</button
							>{/if}
					</td>
				</tr>
				{#if admin && open === p.id}
					<tr>
						<td colspan="5" class="bg-panel">
							<Form
								name="person"
								action="?/change"
								class="flex flex-wrap items-end gap-3 py-1"
								keep
								shown={personShown(p)}
								says={(k, v) =>
									`${SAYS[k as keyof typeof SAYS]} ${k === 'person' && v ? (data.titles[v] ?? `No. ${v}`) : v || 'nobody'}`}
							>
								{#if p.service}<input type="hidden" name="email" value={p.email} />{/if}
								{@render inputs(p)}
								<button class="button">Store</button>
							</Form>
							<div class="flex gap-4 pt-1">
								{#if !p.service}<Form name="personId" action="?/password" keep>
										<input type="hidden" name="id" value={p.id} />
										<button class="textlink">Give a new password</button>
									</Form>{/if}
								<Form name="personId" action={p.retired ? '?/takeBack' : '?/retire'} keep>
									<input type="hidden" name="id" value={p.id} />
									<button class="textlink">{p.retired ? 'Take back' : 'Retire'}</button>
								</Form>
							</div>
						</td>
					</tr>
				{/if}
			{/each}
		</tbody>
	</table>
	<h2 id="stand-for" class="mt-6 text-lg">What people stand for</h2>
	<div class="ticks mt-1"></div>
	<p class="mt-1 text-sm text-quiet">
		Rules can speak of the person who makes a change. What they read of that person is read of a
		record.
	</p>
	{#if admin}
		<Form
			name="personType"
			action="?/type"
			class="mt-1 flex flex-wrap items-end gap-3 text-sm"
			keep
		>
			<span
				>People who sign in are records of<br /><Choose
					label="The record type that people are records of"
					name="type"
					value={stands ?? target ?? ''}
					choices={[
						{ value: '', label: 'no record type' },
						...w.model.types.map((t) => ({ value: t.id, label: t.label }))
					]}
					class="w-60"
					onpick={(v) => (stands = v)}
				/></span
			>
			<button class="button" disabled={(stands ?? target ?? '') === (target ?? '')}
				>Change it</button
			>
			{#if (stands ?? target ?? '') !== (target ?? '') && standing}<span class="text-ochre"
					>▲ {standing === 1 ? 'One person stands' : `${standing} people stand`} for a record now; that
					is taken back, and said anew.</span
				>{/if}
		</Form>
	{:else}<p class="text-sm">
			{target
				? `People are records of ${w.schema.type(target).type.label}.`
				: 'People are records of no record type.'}
		</p>{/if}
	<h2 id="rights" class="mt-6 text-lg">Who may do what</h2>
	<div class="ticks mt-1"></div>
	<table class="grid-table text-sm" aria-label="Who may do what">
		<thead
			><tr
				><th><span class="sr-only">What</span></th>{#each ROLES as r (r)}<th
						class="text-center"
						title={ROLE_SAYS[r]}>{r}</th
					>{/each}</tr
			></thead
		>
		<tbody>
			{#each Object.entries(RIGHTS) as [right, says] (right)}
				<tr
					><th scope="row" class="rights">{says}</th>{#each ROLES as r (r)}<td
							class="text-center"
							class:bg-panel={r === w.account.role}
							>{#if may(r, right as Right)}<span class="text-teal">✓</span><span class="sr-only"
									>yes</span
								>{:else}<span class="text-quiet" aria-hidden="true">·</span><span class="sr-only"
									>no</span
								>{/if}</td
						>{/each}</tr
				>
			{/each}
		</tbody>
	</table>
	<p class="mt-1 text-sm text-quiet">
		Your role is shaded. {#if data.second}Nobody releases what they wrote themselves: a second
			person does.{:else}Who writes may also release, where the role has both.{/if}
		<a class="textlink" href="/settings">Settings</a>
	</p>
</div>

<style>
	.grid-table th.rights {
		font-weight: 400;
		color: var(--color-ink);
		text-align: left;
	}
</style>
