insert into checks (site_id, job_id, judged_from, kind, seen_at, expectation, rules, outcome, root, asides, staffed)
values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11)
returning id
