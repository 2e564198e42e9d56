with profiles as (
    select 'supplier' as kind, id, name, (select count(*) from sites s where s.supplier_id = p.id) as uses from suppliers p
    union all
    select 'platform', id, name, (select count(*) from sites s where s.platform_id = p.id) from platforms p
    union all
    select 'consent', id, name, (select count(*) from sites s where s.consent_id = p.id) from consent_managers p
    union all
    select 'region', id, name, null from regions p
)
select p.kind, p.id, p.name, coalesce(p.uses, 0) as uses, coalesce(v.number, 1) as version, coalesce(v.who, '') as who, v.at,
    h.kind is not null as shipped, coalesce(h.text <> h.taken, false) as newer_ships
from profiles p
left join lateral (
    select number, who, at from profile_versions v where v.kind = p.kind and v.id = p.id order by number desc limit 1
) v on true
left join shipped_profiles h on h.kind = p.kind and h.id = p.id
where ($1::text is null or p.kind = $1)
  and not exists (select 1 from unnest($2::text[]) w where not (p.name ilike w or p.id ilike w))
order by array_position(array['supplier', 'platform', 'consent', 'region'], p.kind), lower(p.name), p.id
offset $3 limit $4
