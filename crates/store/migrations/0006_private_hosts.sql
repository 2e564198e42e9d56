-- Private addresses are allowed by a list. Who allowed them all still does, and can now write down fewer.
insert into settings (name, value)
select 'private_hosts', to_jsonb(case when value = 'true' then E'0.0.0.0/0\n::/0' else '' end)
from settings where name = 'allow_private';
delete from settings where name = 'allow_private';
