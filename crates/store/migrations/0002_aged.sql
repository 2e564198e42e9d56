-- One place says how a stored state ages; the core gives the seconds. Written in SQL, so that the
-- planner puts it into the queries that use it.
create function aged(state text, at timestamptz, after_s double precision) returns text language sql stable as $$
    select case when state in ('passing', 'failing', 'undecided') and at < now() - make_interval(secs => after_s) then 'stale' else state end
$$;
