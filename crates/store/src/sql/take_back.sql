-- A lease that ends later than any can was given before the clock was set back.
update jobs set
    state = case when attempts >= $1 then 'failed' else 'waiting' end,
    finished_at = case when attempts >= $1 then now() end,
    outcome = case when attempts >= $1 then 'given up: its worker died ' || attempts || ' times' else outcome end,
    note = 'its worker died', lease = null, lease_until = null
where state = 'running' and (lease_until < now() or lease_until > now() + make_interval(secs => 2 * $2))
