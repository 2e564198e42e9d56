select f.check_id, f.family, f.code, f.severity, f.summary, f.remedy, f.evidence, f.candidates
from standings t join findings f on f.check_id = t.check_id and f.family = t.family
where t.site_id = $1
order by f.family, f.place
