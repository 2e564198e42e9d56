-- The queue learns what a single table of jobs in the order of their ids could not: a person's one
-- check goes before a round of 5,000, rounds share the workers, and a site is not worked twice at once.

alter table jobs
    -- Less is sooner: 0 a person waits for it, 50 a round, 90 what nobody waits for.
    add column priority smallint not null default 50,
    -- Place in the common order of all rounds: each begins where the ones under way are.
    add column turn bigint not null default 0,
    -- Why the last attempt was given back, if one was.
    add column note text not null default '';
update jobs set turn = id;

drop index jobs_waiting;
create index jobs_next on jobs (priority, turn, id) where state = 'waiting';
create index jobs_leased on jobs (lease_until) where state = 'running';
-- One site has one job of a kind at a time, whoever claims it.
update jobs set state = 'waiting', lease = null, lease_until = null where state = 'running';
create unique index jobs_one_running on jobs (site_id, kind) where state = 'running';
