/** Pages of what happens outside ask again by themselves, as long as they are seen. */
import { invalidate } from '$app/navigation';
import { onMount } from 'svelte';

/**
 * Loads what depends on `key` again every two seconds.
 * @param wanted whether it is to, asked each time
 */
export function loadAgain(key: string, wanted: () => boolean): void {
	onMount(() => {
		const timer = setInterval(() => {
			if (wanted() && !document.hidden) void invalidate(key);
		}, 2000);
		return () => clearInterval(timer);
	});
}
