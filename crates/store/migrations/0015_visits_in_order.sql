-- A check has several visits on one screen in one consent state: in further languages, and in other manners. They
-- are kept all, in the order in which they were made; until here only the first of them was.
alter table observations drop constraint observations_check_id_viewport_consent_key;
alter table observations add column place integer not null default 0;
update observations o set place = r.place from (
    select id, row_number() over (partition by check_id order by viewport, consent desc) as place from observations
) r where r.id = o.id;
create index observations_check on observations (check_id, place);
