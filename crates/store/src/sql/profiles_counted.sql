select count(*) from (
    select 'supplier' as kind, id, name from suppliers
    union all select 'platform', id, name from platforms
    union all select 'consent', id, name from consent_managers
    union all select 'region', id, name from regions
) p
where ($1::text is null or p.kind = $1)
  and not exists (select 1 from unnest($2::text[]) w where not (p.name ilike w or p.id ilike w))
