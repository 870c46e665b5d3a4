<script lang="ts">
	/** A day, with a time of day if need be, typed or picked from a calendar. */
	import { Calendar, Popover } from 'bits-ui';
	import { CalendarDate, parseDate, type DateValue } from '@internationalized/date';
	import CalendarDays from '@lucide/svelte/icons/calendar-days';
	import ChevronLeft from '@lucide/svelte/icons/chevron-left';
	import ChevronRight from '@lucide/svelte/icons/chevron-right';

	let {
		value,
		id,
		label,
		disabled = false,
		invalid = false,
		describedby,
		class: more = '',
		withTime = false,
		oninput,
		onleave,
		onpick
	}: {
		/** What stands in the box: a day as it is written, or what was typed instead. */
		value: string;
		id?: string;
		label: string;
		disabled?: boolean;
		invalid?: boolean;
		describedby?: string;
		class?: string;
		/** A time of day stands behind the day. */
		withTime?: boolean;
		/** Told what is typed. */
		oninput: (text: string) => void;
		onleave?: () => void;
		/** Told the day that was picked, ISO 8601. */
		onpick: (day: string) => void;
	} = $props();

	let open = $state(false);
	const day = $derived.by((): DateValue | undefined => {
		try {
			return parseDate(withTime ? value.slice(0, 10) : value);
		} catch {
			return undefined;
		}
	});
	const now = new Date();
	const today = new CalendarDate(now.getFullYear(), now.getMonth() + 1, now.getDate());
</script>

<span class="box choose inline-flex items-center p-0 {more}">
	<input
		{id}
		class="mono {withTime ? 'w-44' : 'w-28'} bg-transparent px-2 py-[2px] outline-none"
		placeholder={withTime ? '2026-11-30 09:30' : '2026-11-30'}
		autocomplete="off"
		{disabled}
		aria-label={label}
		aria-invalid={invalid}
		aria-describedby={describedby}
		{value}
		oninput={(e) => oninput(e.currentTarget.value)}
		onblur={onleave}
	/>
	<Popover.Root bind:open>
		<Popover.Trigger
			class="grid min-h-6 w-7 place-items-center"
			{disabled}
			aria-label="Pick {label} from a calendar"
			><CalendarDays size={14} class="text-quiet" aria-hidden="true" /></Popover.Trigger
		>
		<Popover.Portal>
			<Popover.Content
				sideOffset={4}
				align="end"
				class="z-50 border border-ink bg-sheet p-3"
				aria-label="Calendar for {label}"
			>
				<Calendar.Root
					type="single"
					value={day}
					placeholder={day ?? today}
					weekdayFormat="short"
					weekStartsOn={1}
					initialFocus
					onValueChange={(v) => {
						if (!v) return;
						onpick(v.toString());
						open = false;
					}}
				>
					{#snippet children({ months, weekdays })}
						<Calendar.Header class="flex items-center justify-between">
							<Calendar.PrevButton class="grid size-7 place-items-center hover:bg-band-1"
								><ChevronLeft size={16} aria-label="The month before" /></Calendar.PrevButton
							>
							<Calendar.Heading class="font-semibold" />
							<Calendar.NextButton class="grid size-7 place-items-center hover:bg-band-1"
								><ChevronRight size={16} aria-label="The month after" /></Calendar.NextButton
							>
						</Calendar.Header>
						{#each months as month (month.value.toString())}
							<Calendar.Grid class="mt-1 text-sm">
								<Calendar.GridHead>
									<Calendar.GridRow>
										{#each weekdays as d (d)}<Calendar.HeadCell
												class="w-8 text-xs font-normal text-quiet"
												>{d.slice(0, 2)}</Calendar.HeadCell
											>{/each}
									</Calendar.GridRow>
								</Calendar.GridHead>
								<Calendar.GridBody>
									{#each month.weeks as week, i (i)}
										<Calendar.GridRow>
											{#each week as date (date.toString())}
												<Calendar.Cell {date} month={month.value} class="p-0">
													<Calendar.Day class="calendarday" />
												</Calendar.Cell>
											{/each}
										</Calendar.GridRow>
									{/each}
								</Calendar.GridBody>
							</Calendar.Grid>
						{/each}
					{/snippet}
				</Calendar.Root>
			</Popover.Content>
		</Popover.Portal>
	</Popover.Root>
</span>

<style>
	:global(.calendarday) {
		display: grid;
		place-items: center;
		width: 32px;
		height: 28px;
		cursor: pointer;
	}
	:global(.calendarday:hover) {
		background: var(--color-band-1);
	}
	:global(.calendarday[data-selected]) {
		background: var(--color-brass-ink);
		color: var(--color-on-brass);
	}
	:global(.calendarday[data-today]) {
		text-decoration: underline;
	}
	:global(.calendarday[data-outside-month]) {
		color: var(--color-quiet);
	}
</style>
