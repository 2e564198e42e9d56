insert into pages (site_id, url, kind, kind_by, template, found, title, language, status, lost, place, seen_at)
values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12)
on conflict (site_id, url) do update set
    kind = $3, kind_by = $4, template = $5, found = $6, title = $7, language = $8, status = $9, lost = $10, place = $11, seen_at = $12
