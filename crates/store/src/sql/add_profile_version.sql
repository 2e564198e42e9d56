-- Nothing where the text is that of the last version.
insert into profile_versions (kind, id, number, text, who, why)
select $1, $2, coalesce((select max(number) from profile_versions where kind = $1 and id = $2), 0) + 1, $3, $4, $5
where $3 is distinct from (
    select text from profile_versions where kind = $1 and id = $2 order by number desc limit 1
)
