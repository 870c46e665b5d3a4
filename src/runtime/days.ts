/** Days of the calendar. Apart from words for people: those are in every page, and the core is not. */
import { LocalDate } from '../core';

/** The day after one. */
export const dayAfter = (day: LocalDate): LocalDate => LocalDate.fromEpochDay(day.epochDay + 1)!;
