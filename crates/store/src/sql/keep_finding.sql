insert into findings (check_id, site_id, page_id, family, place, code, severity, summary, remedy, evidence, candidates, hash)
values ($1, $2, (select p.id from pages p join sites s on s.id = p.site_id and s.url = p.url where s.id = $2),
        $3, $4, $5, $6, $7, $8, $9, $10, $11)
