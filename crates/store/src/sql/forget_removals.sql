-- Removals older than so many days go for good, with the blobs that nothing else refers to.
with old as (
    select id from removals where at < now() - make_interval(days => $1)
), blobs as (
    select distinct unnest(s.blobs) as key from removed_sites s join old on old.id = s.removal_id
), gone as (
    delete from removals r using old where r.id = old.id
)
select b.key from blobs b
where not exists (select 1 from check_blobs k where k.key = b.key)
  and not exists (select 1 from sites s where b.key in (s.preview_desktop, s.preview_phone))
  and not exists (select 1 from clients c where c.logo = b.key)
  and not exists (select 1 from handovers h where h.pdf = b.key)
  and not exists (select 1 from removed_sites s where b.key = any(s.blobs) and s.removal_id not in (select id from old))
  and not exists (select 1 from diary e where e.photo = b.key)
