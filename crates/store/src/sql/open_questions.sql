select e.site_id, s.name as site, c.name as client, w.at, w.who, w.words, count(*) over () as of
from errands e
join sites s on s.id = e.site_id
join clients c on c.id = s.client_id
cross join lateral (
    select l.at, l.who, l.words, l.outside from errand_words l
    where l.errand_id = e.id order by l.id desc limit 1) w
where w.outside and e.withdrawn_at is null and ($1::bigint[] is null or e.site_id = any($1))
order by w.at, e.id limit $2
