select t.site_id, t.family, d.version, d.data
from standings t join drawings d on d.check_id = t.check_id and d.family = t.family
where t.site_id = any($1) and ($2::text is null or t.family = $2)
