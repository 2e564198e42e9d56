with batches as (
    select next_family as family, min(next_state) as state, next_cause as cause,
           mode() within group (order by next_act) as act, count(*) as sites, min(worst) as worst,
           bool_or(next_state = 'failing') as failing
    from sites where next_act is not null
    group by next_family, next_cause
), paged as (
    select * from batches order by failing desc, array_position($4::text[], family), sites desc, cause offset $1 limit $2
)
select p.family, case when p.failing then 'failing' else p.state end as state, p.cause, p.act, p.sites,
    (select jsonb_agg(jsonb_build_array(f.id, f.name, f.client, f.why, f.act))
     from (select s.id, s.name, c.name as client, s.next_why as why,
               case when s.next_act <> p.act then s.next_act else '' end as act
           from sites s join clients c on c.id = s.client_id
           where s.next_family = p.family and s.next_cause = p.cause
           order by c.name, s.id limit $3) f) as first
from paged p
order by p.failing desc, array_position($4::text[], p.family), p.sites desc, p.cause
