<script lang="ts">
	/** Signs in where one is, when the session has ended: the page and what was typed stay. */
	import { deserialize } from '$app/forms';
	import { Dialog } from 'bits-ui';
	import { onMount } from 'svelte';
	import { whenSignedOut } from '../work/http';
	import { tell } from './notices';

	let { email }: { email: string } = $props();

	let open = $state(false);
	let password = $state('');
	let trouble = $state<string | null>(null);
	let busy = $state(false);
	/** Told whether it was done; all who wait share one. */
	let waiting: { promise: Promise<boolean>; done: (signedIn: boolean) => void } | null = null;

	function ask(): Promise<boolean> {
		if (waiting) return waiting.promise;
		let done!: (signedIn: boolean) => void;
		const promise = new Promise<boolean>((resolve) => (done = resolve));
		waiting = { promise, done };
		password = '';
		trouble = null;
		open = true;
		return promise;
	}

	function finish(signedIn: boolean) {
		open = false;
		waiting?.done(signedIn);
		waiting = null;
	}

	async function submit(e: SubmitEvent) {
		e.preventDefault();
		busy = true;
		trouble = null;
		const body = new FormData();
		body.set('email', email);
		body.set('password', password);
		try {
			const response = await fetch('/sign-in', {
				method: 'POST',
				body,
				headers: { accept: 'application/json', 'x-sveltekit-action': 'true' }
			});
			const result = deserialize(await response.text());
			if (result.type === 'redirect') {
				finish(true);
				tell('Signed in again. What waited was sent.');
			} else
				trouble =
					result.type === 'failure'
						? String(result.data?.message ?? 'That was not right.')
						: 'The server could not sign you in. Try again.';
		} catch {
			trouble = 'The server cannot be reached. Try again.';
		}
		busy = false;
	}

	onMount(() => {
		whenSignedOut(ask);
		return () => whenSignedOut(null);
	});
</script>

<Dialog.Root bind:open onOpenChange={(now) => !now && finish(false)}>
	<Dialog.Portal>
		<Dialog.Overlay class="fixed inset-0 z-40 bg-ink/30" />
		<Dialog.Content
			class="fixed top-1/2 left-1/2 z-50 w-full max-w-sm -translate-x-1/2 -translate-y-1/2 border border-ink bg-sheet p-6"
			data-testid="sign-in-again"
			onOpenAutoFocus={(e) => {
				// the address is known; what is asked for is the password
				e.preventDefault();
				document.getElementById('again-password')?.focus();
			}}
		>
			<Dialog.Title class="text-lg font-semibold">Your session has ended</Dialog.Title>
			<Dialog.Description class="mt-1 text-quiet"
				>Sign in to go on where you are. What you typed is still here and is stored then.</Dialog.Description
			>
			<form class="mt-4" onsubmit={submit}>
				<label class="block text-sm font-medium" for="again-email">E-mail</label>
				<input
					id="again-email"
					class="box mt-1 w-full"
					type="email"
					autocomplete="username"
					value={email}
					readonly
				/>
				<label class="mt-3 block text-sm font-medium" for="again-password">Password</label>
				<input
					id="again-password"
					class="box mt-1 w-full"
					type="password"
					autocomplete="current-password"
					required
					aria-invalid={trouble !== null}
					aria-describedby="again-trouble"
					bind:value={password}
				/>
				<p id="again-trouble" class="mt-1 text-sm text-brick" role="alert">
					{#if trouble}● {trouble}{/if}
				</p>
				<div class="mt-3 flex gap-3">
					<button class="button main" disabled={busy}>Sign in and go on</button>
					<Dialog.Close class="button">Not now</Dialog.Close>
				</div>
			</form>
		</Dialog.Content>
	</Dialog.Portal>
</Dialog.Root>
