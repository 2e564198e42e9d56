-- Replaced only by a look that is not older. One from the future is of a clock that was set back since.
insert into standings (site_id, family, state, summary, remedy, at, check_id)
select n.site_id, n.family, n.state, n.summary, n.remedy, $6, n.check_id
from unnest($1::bigint[], $2::text[], $3::text[], $4::text[], $5::text[], $7::bigint[])
    as n(site_id, family, state, summary, remedy, check_id)
on conflict (site_id, family) do update
set state = excluded.state, summary = excluded.summary, remedy = excluded.remedy, at = excluded.at, check_id = excluded.check_id
where standings.check_id is null or excluded.at >= standings.at or standings.at > now()
