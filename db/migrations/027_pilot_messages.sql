-- Messages that the pilot alone sends, or the other release alone.
alter table pilot_difference drop constraint pilot_difference_kind_check;
alter table pilot_difference add constraint pilot_difference_kind_check
	check (kind in ('value', 'refused', 'let through', 'sent', 'unsent'));
