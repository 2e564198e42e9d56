select t.site_id, t.family, t.state, t.summary, t.remedy,
    coalesce((
        select f.code from findings f
        where f.check_id = t.check_id and f.family = t.family and f.severity >= 1
        order by f.severity desc, f.place limit 1), '') as code,
    t.family = 'place' and exists (
        select 1 from surveys v join sites s on s.id = v.site_id
        cross join jsonb_array_elements(v.seen -> 'widgets') w
        where v.site_id = t.site_id and w ->> 'supplier' = s.supplier_id and w ->> 'key' = s.key
            and (w ->> 'runs')::int > 0) as seen
from standings t where t.site_id = any($1)
