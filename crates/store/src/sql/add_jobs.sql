-- Each round begins in turn where the rounds under way are, so that none waits for another's end.
with base as (
    select coalesce(min(turn), (select coalesce(max(turn), 0) + 1 from jobs)) as turn
    from jobs where state = 'waiting' and priority = $4 and (not_before is null or not_before <= now())
), wanted as (
    select id, min(n) as n from unnest($3::bigint[]) with ordinality as w (id, n) group by id
)
insert into jobs (round_id, site_id, kind, priority, turn)
select $1, s.id, $2, $4, base.turn + row_number() over (order by w.n) - 1
from wanted w join sites s on s.id = w.id cross join base
order by w.n
