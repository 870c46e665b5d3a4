/** Time zones from the platform's own data (Intl), for the core, which knows none. */
import type { ZoneClock } from '../core';

const formatters = new Map<string, Intl.DateTimeFormat | null>();

function formatter(zone: string): Intl.DateTimeFormat | null {
	let f = formatters.get(zone);
	if (f === undefined) {
		try {
			f = new Intl.DateTimeFormat('en-US-u-ca-iso8601', {
				timeZone: zone,
				hourCycle: 'h23',
				year: 'numeric',
				month: 'numeric',
				day: 'numeric',
				hour: 'numeric',
				minute: 'numeric',
				second: 'numeric'
			});
		} catch {
			f = null;
		}
		formatters.set(zone, f);
	}
	return f;
}

/** Offsets by zone and quarter of an hour: no zone changes its offset within one. */
const known = new Map<string, number>();
const MOST_KNOWN = 20_000;

/** A {@link ZoneClock} over the platform's zone data. */
export const zones: ZoneClock = {
	offsetAt(zone, epochMs) {
		if (!Number.isFinite(epochMs) || Math.abs(epochMs) > 8e15) return null;
		const quarter = Math.floor(epochMs / 900_000);
		const key = `${zone} ${quarter}`;
		const had = known.get(key);
		if (had !== undefined) return had;
		const f = formatter(zone);
		if (!f) return null;
		const parts: Record<string, number> = {};
		for (const p of f.formatToParts(epochMs)) parts[p.type] = Number(p.value);
		const { year, month, day, hour, minute, second } = parts;
		const local = new Date(0);
		local.setUTCFullYear(year, month - 1, day);
		local.setUTCHours(hour, minute, second);
		const offset = Math.round((local.getTime() - Math.floor(epochMs / 1000) * 1000) / 1000);
		if (known.size >= MOST_KNOWN) known.clear();
		known.set(key, offset);
		return offset;
	}
};
