-- A job may wait for a time: a look at a widget while nobody is there cannot be made at noon.
alter table jobs add column not_before timestamptz;
create index jobs_planned on jobs (site_id) where state = 'waiting' and not_before is not null;
-- Whether somebody was there at a look; nothing where no hours are given.
alter table checks add column staffed boolean;
