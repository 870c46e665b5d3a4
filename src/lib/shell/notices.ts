/** Short notices of what was done: they come, are read out, and go by themselves. */
import { toast } from 'svelte-sonner';

/** Something was done. @param then what can be done about it while the notice stands */
export function tell(text: string, then?: { label: string; do: () => void }) {
	toast(text, then ? { action: { label: then.label, onClick: then.do }, duration: 10_000 } : {});
}
