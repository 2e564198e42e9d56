update sites set
    next_family = $2, next_state = $3, next_act = $4, next_why = $5,
    codes = coalesce((
        select string_agg(distinct f.code, ' ')
        from standings t join findings f on f.check_id = t.check_id and f.family = t.family
        where t.site_id = $1 and f.severity >= 1 and t.state in ('failing', 'undecided', 'passing')), '')
where id = $1
