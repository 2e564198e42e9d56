with today as (
    select id from rounds
    where kind = $1 and title = $2 and who = $3 and cancelled_at is null and created_at > now() - interval '1 day'
    order by id desc limit 1
), fresh as (
    insert into rounds (kind, title, who) select $1, $2, $3 where not exists (select 1 from today) returning id
)
insert into jobs (round_id, site_id, kind, priority, turn, not_before)
select r.id, $4, $1, $5, coalesce((select max(turn) from jobs), 0) + 1, $6
from (select id from today union all select id from fresh) r
