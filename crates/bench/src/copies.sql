-- Rows of the check $1 for every other site; each statement is sent by itself.
insert into checks (site_id, kind, seen_at, expectation, rules, outcome, root, asides)
select s.id, c.kind, c.seen_at, c.expectation, c.rules, c.outcome, c.root, c.asides
from checks c, sites s where c.id = $1 and s.id <> c.site_id order by s.id;
insert into observations (check_id, site_id, viewport, consent, seen, place)
select k.id, k.site_id, o.viewport, o.consent, o.seen, o.place
from checks k, observations o where o.check_id = $1 and k.id <> $1;
insert into findings (check_id, site_id, family, place, code, severity, summary, remedy, evidence, candidates, hash)
select k.id, k.site_id, f.family, f.place, f.code, f.severity, f.summary, f.remedy, f.evidence, f.candidates, f.hash
from checks k, findings f where f.check_id = $1 and k.id <> $1;
insert into drawings (check_id, family, version, data)
select k.id, d.family, d.version, d.data from checks k, drawings d where d.check_id = $1 and k.id <> $1;
update standings t set state = a.state, summary = a.summary, remedy = a.remedy, at = a.at, check_id = k.id
from checks k, standings a, checks c
where c.id = $1 and a.site_id = c.site_id and a.check_id = c.id and t.family = a.family and k.id <> c.id and t.site_id = k.site_id
