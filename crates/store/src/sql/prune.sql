with ranked as (
    select id, row_number() over (partition by site_id, kind order by id desc) as n from checks
), gone as (
    delete from checks c using ranked r
    where c.id = r.id and r.n > $1 and not c.pinned
      and not exists (select 1 from standings t where t.check_id = c.id)
      and not exists (select 1 from checks j where j.judged_from = c.id)
    returning c.id
), let_go as (
    delete from check_blobs b using gone g where b.check_id = g.id returning b.key
)
select distinct l.key from let_go l
where not exists (select 1 from check_blobs k where k.key = l.key and k.check_id not in (select id from gone))
  and not exists (select 1 from sites s where l.key in (s.preview_desktop, s.preview_phone))
  and not exists (select 1 from clients c where c.logo = l.key)
  and not exists (select 1 from handovers h where h.pdf = l.key)
  and not exists (select 1 from removed_sites d where l.key = any(d.blobs))
  and not exists (select 1 from diary e where e.photo = l.key)
