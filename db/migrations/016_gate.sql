-- What has to be so before a draft becomes a release; null for what is usual.
alter table workspace add column gate jsonb;
-- What was so when it was released, with the reasons of whoever released in spite of something; null before.
alter table release add column gate jsonb;
