-- Removes a site with all that is its; gives the blobs that nothing else refers to.
with mine as (
    select b.key from check_blobs b join checks c on c.id = b.check_id where c.site_id = $1
    union select unnest(array[s.preview_desktop, s.preview_phone]) from sites s where s.id = $1
    union select e.photo from diary e where e.site_id = $1
    union select h.pdf from handovers h where h.site_id = $1
), gone as (
    delete from sites where id = $1
)
select m.key from mine m
where m.key is not null
  and not exists (select 1 from check_blobs k join checks c on c.id = k.check_id where k.key = m.key and c.site_id <> $1)
  and not exists (select 1 from sites s where m.key in (s.preview_desktop, s.preview_phone) and s.id <> $1)
  and not exists (select 1 from clients c where c.logo = m.key)
  and not exists (select 1 from handovers h where h.pdf = m.key and h.site_id <> $1)
  and not exists (select 1 from removed_sites d where m.key = any(d.blobs))
  and not exists (select 1 from diary e where e.photo = m.key and e.site_id <> $1)
