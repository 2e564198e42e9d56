update jobs set state = 'running', attempts = attempts + 1, lease = $1, lease_until = now() + make_interval(secs => $2)
where id = (
    select j.id from jobs j
    where j.state = 'waiting' and (j.not_before is null or j.not_before <= now())
      and not exists (select 1 from jobs r where r.site_id = j.site_id and r.kind = j.kind and r.state = 'running')
    order by j.priority, j.turn, j.id
    for update skip locked limit 1)
returning id, round_id, site_id, kind, lease
