/** Short notices of what was done: they come, are read out, and go by themselves. */
import { toast } from 'svelte-sonner';

/** Something was done. */
export function tell(text: string) {
	toast(text);
}
