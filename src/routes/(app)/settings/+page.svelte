<script lang="ts">
	import { KEPT } from '$door/forms';
	import { CRITERIA, LEVELS, type Criterion, type Level } from '$door/gate';
	import { gateShown, keepShown } from '$door/shown';
	import { ROLES, ROLE_SAYS, covers, type Role } from '$door/rights';
	import Choose from '$lib/inputs/Choose.svelte';
	import Form from '$lib/inputs/Form.svelte';
	import { formatDate, formatMoment } from '$lib/words/format';
	import { useWorkbench } from '$lib/work/workbench.svelte';

	let { data, form } = $props();
	const w = useWorkbench();
	const KEPT_SAYS = {
		history: 'History and journal',
		messages: 'Messages and webhooks that left',
		imports: 'Imported files',
		jobs: 'Jobs that ended'
	};
	const GATE_SAYS: Record<Criterion, string> = {
		findings: 'No blocking finding that nobody accepted',
		trials: 'All trials hold',
		coverage: 'Points of the rules that are tried',
		strength: 'Small mistakes that trials notice',
		rehearsal: 'Rehearsed as it stands',
		replay: 'Replayed as it stands on what was done of late',
		surprises: 'All surprises of rehearsal and replay looked at',
		remarks: 'All remarks settled'
	};
	const LEVEL_SAYS: Record<Level, string> = {
		must: 'has to be so',
		reason: 'or a reason why not',
		shown: 'is shown only'
	};
	function gateSays(input: string, value: string): string {
		if (input === 'inherited')
			return `what the release in force has already ${value ? 'counts' : 'does not count'}`;
		const least = input.endsWith('Least');
		const c = (least ? input.slice(0, -'Least'.length) : input) as Criterion;
		return `“${GATE_SAYS[c]}” ${least ? `at least ${value}\u00a0%` : LEVEL_SAYS[value as Level]}`;
	}
	let levels = $derived(data.gate.levels);
	/** What is chosen for a new token. */
	let of = $state('');
	let role = $state<Role>(covers(w.account.role, 'author') ? 'author' : 'reader');
	let types = $state<string[]>([]);
	/** The role of whom it acts for: a token has no more. */
	const owner = $derived(data.services.find((s) => s.id === of)?.role ?? w.account.role);
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

	<section class="mt-4 border border-line bg-sheet p-5" aria-labelledby="releases-h">
		<h2 id="releases-h">Releases</h2>
		<p class="text-sm">
			{data.second
				? 'A second person releases: nobody releases a draft in which they wrote something since the last release.'
				: 'Whoever has the right releases, also what they wrote themselves.'}
		</p>
		{#if w.may('settings')}
			<Form name="releases" action="?/releases" class="mt-2" keep>
				<input type="hidden" name="second" value={data.second ? '' : 'yes'} />
				<button class="button"
					>{data.second ? 'Let one release what one wrote' : 'Ask for a second person'}</button
				>
			</Form>
		{/if}
	</section>

	<section class="mt-4 border border-line bg-sheet p-5" aria-labelledby="gate-h">
		<h2 id="gate-h">What has to be so before a release</h2>
		{#if w.may('settings')}
			<p class="text-sm">
				What is not met keeps everybody from releasing, asks whoever releases for a reason that
				stands in the release for good, or is shown and no more.
			</p>
			<Form
				name="gate"
				action="?/gate"
				class="mt-2"
				keep
				shown={gateShown(data.gate)}
				says={gateSays}
			>
				<table class="grid-table text-sm">
					<tbody>
						{#each CRITERIA as c (c)}
							<tr>
								<td class="py-1 pr-4">{GATE_SAYS[c]}</td>
								<td class="pr-4"
									>{#if c === 'coverage' || c === 'strength'}<label
											><span class="text-quiet">at least</span>
											<input
												class="box mono w-16"
												name="{c}Least"
												inputmode="numeric"
												aria-label="{GATE_SAYS[c]}, percent"
												value={data.gate[c]}
											/> %</label
										>{/if}</td
								>
								<td
									><Choose
										name={c}
										label={GATE_SAYS[c]}
										value={levels[c]}
										choices={LEVELS.map((l) => ({ value: l, label: LEVEL_SAYS[l] }))}
										onpick={(v) => (levels = { ...levels, [c]: v as Level })}
									/></td
								>
							</tr>
						{/each}
					</tbody>
				</table>
				<label class="mt-2 flex items-center gap-2 text-sm"
					><input type="checkbox" name="inherited" value="yes" checked={data.gate.inherited} /> A blocking
					finding counts also where the release in force has it and nothing touched it</label
				>
				<button class="button mt-2">Store</button>
			</Form>
		{:else}
			<ul class="text-sm">
				{#each CRITERIA as c (c)}
					<li>
						{GATE_SAYS[c]}{c === 'coverage' || c === 'strength'
							? `, at least ${data.gate[c]} %`
							: ''}:
						{LEVEL_SAYS[data.gate.levels[c]]}
					</li>
				{/each}
			</ul>
		{/if}
	</section>

	<section class="mt-4 border border-line bg-sheet p-5" aria-labelledby="keep-h">
		<h2 id="keep-h">Retention</h2>
		{#if w.may('settings')}
			<p class="text-sm">
				What is older than so many days is deleted and cannot be brought back. Leave it empty to
				keep everything. The audit, the releases and the records themselves are always kept.
			</p>
			<Form
				name="keep"
				action="?/keep"
				class="mt-2 flex flex-wrap items-end gap-3"
				keep
				shown={keepShown(data.keep)}
				says={(k, days) =>
					`${KEPT_SAYS[k as keyof typeof KEPT_SAYS]} ${days ? `${days} days` : 'for good'}`}
			>
				{#each KEPT as k (k)}
					<label class="text-sm"
						>{KEPT_SAYS[k]}<br /><input
							class="box mono w-28"
							name={k}
							inputmode="numeric"
							value={data.keep[k] ?? ''}
						/> days</label
					>
				{/each}
				<button class="button">Store</button>
			</Form>
		{:else}
			<ul class="text-sm">
				{#each KEPT as k (k)}
					<li>{KEPT_SAYS[k]}: {data.keep[k] ? `${data.keep[k]} days` : 'for good'}</li>
				{/each}
			</ul>
		{/if}
		{#if data.historyFrom}<p class="mt-2 text-sm">
				History is whole from {formatMoment(data.historyFrom, w.model.zone)} on: what happened before
				is gone.
			</p>{/if}
	</section>

	{#if w.may('operate')}
		<section class="mt-4 border border-line bg-sheet p-5" aria-labelledby="tokens-h">
			<h2 id="tokens-h">Tokens for the API</h2>
			<p class="mt-1 text-sm text-quiet">
				What it takes and gives is an <a class="textlink" href="/api/v1/openapi.json"
					>OpenAPI document</a
				>. Fields go by their identity, which the <a class="textlink" href="/model">model</a> shows at
				each; tables by the last part of their address.
			</p>
			{#if form && 'token' in form && form.token}
				<p class="mt-2 bg-ochre-wash p-3">
					This token is shown once. Keep it where passwords are kept:<br /><code
						class="mono font-semibold break-all"
						data-testid="token">{form.token}</code
					>
				</p>
			{/if}
			<div class="overflow-x-auto">
				<table class="grid-table mt-2 text-sm" aria-label="Tokens">
					<thead
						><tr
							><th>Name</th><th>Acts as</th><th>Role</th><th>Record types</th><th>Made</th><th
								>Ends</th
							><th>Last used</th><th><span class="sr-only">What can be done</span></th></tr
						></thead
					>
					<tbody>
						{#each data.tokens as t (t.id)}
							<tr class:text-quiet={t.revoked || t.ended}
								><td>{t.name}</td><td>{t.who}</td><td>{t.role}</td><td
									>{t.types
										? t.types.map((id) => w.schema.types.get(id)?.type.label ?? id).join(', ')
										: 'all'}</td
								><td class="mono whitespace-nowrap">{formatDate(t.created.slice(0, 10))}</td><td
									class="mono whitespace-nowrap">{t.ends ? formatDate(t.ends) : 'never'}</td
								><td class="mono whitespace-nowrap"
									>{t.used ? formatMoment(t.used, w.model.zone) : 'never'}</td
								><td
									>{#if t.revoked}revoked{:else if t.ended}ended{:else}<Form
											name="revoke"
											action="?/revoke"
										>
											<input type="hidden" name="id" value={t.id} /><button
												class="textlink"
												aria-label="Revoke {t.name}">Revoke</button
											>
										</Form>{/if}</td
								></tr
							>
						{:else}<tr><td colspan="8" class="text-quiet">No tokens yet.</td></tr>{/each}
					</tbody>
				</table>
			</div>
			<Form name="token" action="?/token" class="mt-3 flex flex-wrap items-end gap-3">
				<label class="text-sm"
					>Name of a new token<br /><input
						class="box w-44"
						name="label"
						required
						maxlength="80"
						placeholder="Web shop"
					/></label
				>
				<span class="text-sm"
					>Acts as<br /><Choose
						label="Acts as"
						name="of"
						value={of}
						choices={[
							{ value: '', label: `${w.account.name} (you)` },
							...data.services.map((s) => ({ value: s.id, label: s.name, help: s.role }))
						]}
						class="w-48"
						onpick={(v) => {
							of = v;
							if (!covers(owner, role)) role = owner;
						}}
					/></span
				>
				<span class="text-sm"
					>Role<br /><Choose
						label="Role of the token"
						name="role"
						value={role}
						choices={ROLES.filter((r) => covers(owner, r)).map((r) => ({
							value: r,
							label: r,
							help: ROLE_SAYS[r]
						}))}
						class="w-40"
						onpick={(v) => (role = v as Role)}
					/></span
				>
				<label class="text-sm"
					>Last day<br /><input
						class="box w-36"
						name="ends"
						type="date"
						title="Empty: it does not end"
					/></label
				>
				<fieldset class="text-sm">
					<legend>Record types (none: all)</legend>
					<input type="hidden" name="types" value={types.join(' ')} />
					<span class="flex flex-wrap gap-x-3"
						>{#each w.model.types as t (t.id)}<label class="flex items-center gap-1"
								><input type="checkbox" value={t.id} bind:group={types} /> {t.label}</label
							>{/each}</span
					>
				</fieldset>
				<button class="button">Make a token</button>
			</Form>
		</section>
	{/if}

	<ul class="mt-4 grid gap-1">
		<li><a class="textlink" href="/people">People</a>: who may sign in, and with which role</li>
		{#if w.may('audit')}<li>
				<a class="textlink" href="/audit">Audit</a>: who did what, and from where
			</li>{/if}
		<li><a class="textlink" href="/account">Your account</a>: password and sessions</li>
		<li>
			<a class="textlink" href="/model">Model</a>: record types, fields, forms and option lists
		</li>
	</ul>
</div>
