-- On which pages the widget must and must not be; and what the file that a site came from says beyond its
-- fields (hours, texts, further widgets), so that it is written as it was read.
alter table sites
    add column pages_on text not null default '',
    add column pages_not_on text not null default '',
    add column beyond text not null default '';

insert into standings (site_id, family) select id, 'pages' from sites;
