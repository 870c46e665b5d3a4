-- Lists ask when records were made and last changed: an index of that.
alter table wanted_index drop constraint wanted_index_use_check;
alter table wanted_index add constraint wanted_index_use_check
	check (use in ('value', 'order', 'words', 'setter', 'stamp'));
