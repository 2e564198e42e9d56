select id, kind, seen_at, judged_at, judged_from, expectation, inputs, rules, outcome, root, pinned
from checks c
where site_id = $1 and kind = $2 and seen_at < $3
order by (expectation = $4) desc,
    -- In order: the chain holds or is as intended, and nothing was found that is a fault.
    (outcome in ('working', 'as intended')
        and not exists (select 1 from findings f where f.check_id = c.id and f.severity >= 2)) desc,
    seen_at desc, id desc
limit 1
