-- From when on history is whole. What is older was forgotten, and stays so when the settings keep it for longer later.
-- Where it is kept for some days only, as much is taken to be gone.
alter table workspace add column history_from timestamptz;
update workspace set history_from = now() - make_interval(days => (keep->>'history')::int) where keep ? 'history';
