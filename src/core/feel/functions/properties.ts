/** Parts that can be read behind a dot. */

/** Parts that can be read behind a dot on dates, times, durations and ranges. */
export const PROPERTIES = [
	'year',
	'month',
	'day',
	'weekday',
	'hour',
	'minute',
	'second',
	'time offset',
	'timezone',
	'days',
	'hours',
	'minutes',
	'seconds',
	'years',
	'months',
	'start included',
	'end included',
	'start',
	'end',
	'value'
] as const;
