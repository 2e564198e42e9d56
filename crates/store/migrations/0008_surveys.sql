-- What is on a site already, as far as HTTP tells: the last survey whole, and the inventory of its pages.
-- A page that a later survey does not find stays, with the time at which it was last seen.

create table surveys (
    site_id bigint primary key references sites on delete cascade,
    seen jsonb not null,
    at timestamptz not null
);

alter table pages
    add column kind_by text not null default '',
    add column template text not null default '',
    add column found text not null default 'given',
    add column title text not null default '',
    add column language text not null default '',
    add column status integer,
    add column lost text not null default '',
    -- In the order of the survey; none for a page that no survey has looked at.
    add column place integer,
    add column seen_at timestamptz;
create index pages_in_order on pages (site_id, place);
