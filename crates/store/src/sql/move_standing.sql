-- Replaced only by a look that is not older. One from the future is of a clock that was set back since.
insert into standings (site_id, family, state, summary, remedy, at, check_id)
values ($1, $2, $3, $4, $5, $6, $7)
on conflict (site_id, family) do update
set state = excluded.state, summary = excluded.summary, remedy = excluded.remedy, at = excluded.at, check_id = excluded.check_id
where standings.check_id is null or excluded.at >= standings.at or standings.at > now()
