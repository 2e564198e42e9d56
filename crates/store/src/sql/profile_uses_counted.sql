select count(*) from sites s
where case $1
    when 'supplier' then s.supplier_id = $2
    when 'platform' then s.platform_id = $2
    when 'consent' then s.consent_id = $2
    else true end
