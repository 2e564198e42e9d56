-- A standing between "not yet" and "passing": in order, with something that is worth mending. Ranks of those
-- behind it move up by one.
drop index standings_age;
create index standings_age on standings (at) where state in ('passing', 'remarks', 'failing', 'undecided');

create or replace function state_rank(state text) returns smallint language sql immutable as $$
    select array_position(
        array['failing', 'undecided', 'stale', 'not_yet', 'remarks', 'passing', 'not_applicable'], state)::smallint
$$;

create or replace function count_site() returns trigger language plpgsql as $$
declare
    names text[] := array['failing', 'undecided', 'stale', 'not_yet', 'remarks', 'passing', 'not_applicable'];
begin
    if tg_op = 'UPDATE' and new.worst = old.worst then
        return null;
    end if;
    if tg_op <> 'INSERT' then
        insert into tallies values ('estate', names[old.worst], -1);
    end if;
    if tg_op <> 'DELETE' then
        insert into tallies values ('estate', names[new.worst], 1);
    end if;
    return null;
end $$;

-- The same standings under their new ranks: nothing to count.
alter table sites disable trigger sites_counted;
update sites set worst = worst + 1 where worst >= 5;
alter table sites enable trigger sites_counted;
