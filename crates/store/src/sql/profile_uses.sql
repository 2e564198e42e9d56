-- A region is asked for by the visitors' country, and the strictest where that is unknown: all sites may
-- be judged by it.
select s.id, s.name, c.name as client
from sites s join clients c on c.id = s.client_id
where case $1
    when 'supplier' then s.supplier_id = $2
    when 'platform' then s.platform_id = $2
    when 'consent' then s.consent_id = $2
    else true end
order by lower(c.name), lower(s.name), s.id
limit $3
