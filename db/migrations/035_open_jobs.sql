-- Jobs that are under way are asked for again and again, however many have ended since they began.
create index on job (workspace, queued_at desc) where ended_at is null;
