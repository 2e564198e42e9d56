update sites s set
    next_family = n.family, next_state = n.state, next_act = n.act, next_cause = n.cause, next_why = coalesce(n.why, ''),
    codes = coalesce((
        select string_agg(distinct f.code, ' ')
        from standings t join findings f on f.check_id = t.check_id and f.family = t.family
        where t.site_id = n.site_id and f.severity >= 1 and t.state in ('failing', 'undecided', 'remarks', 'passing')), '')
from unnest($1::bigint[], $2::text[], $3::text[], $4::text[], $5::text[], $6::text[]) as n(site_id, family, state, act, cause, why)
where s.id = n.site_id
