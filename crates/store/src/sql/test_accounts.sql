with made as (
    select s.client_id, s.supplier_id, count(*) as n
    from checks c join sites s on s.id = c.site_id
    where c.kind = 'echo' and c.seen_at >= date_trunc('month', now())
    group by s.client_id, s.supplier_id
)
select s.id, c.name, p.name, coalesce(m.n, 0)
from sites s
join clients c on c.id = s.client_id
join suppliers p on p.id = s.supplier_id
left join made m on m.client_id = s.client_id and m.supplier_id = s.supplier_id
where s.id = any($1)
order by s.id
