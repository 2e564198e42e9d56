-- What a check rested on: prints of its inputs as they were when the look began, and how the site stood in other
-- families when it was kept. Empty of checks that were made before prints were kept.
alter table checks add column inputs jsonb not null default '{}';
-- How often we wrote to the site's slots, sets of tags and drafts, and to the supplier's settings of its key.
alter table sites add column slots_written bigint not null default 0;
alter table sites add column console_written bigint not null default 0;
