update jobs set
    lease_until = now() + make_interval(secs => $3),
    progress_done = coalesce($4, progress_done), progress_of = coalesce($5, progress_of)
where id = $1 and lease = $2 and state = 'running'
returning (select cancelled_at is null from rounds where id = jobs.round_id)
