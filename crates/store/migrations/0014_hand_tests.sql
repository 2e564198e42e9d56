-- A test talk that a person makes: written by us, waiting for what the person saw. One a site.
create table hand_tests (
    site_id bigint primary key references sites (id) on delete cascade,
    number bigint generated always as identity,
    message text not null default '',
    who text not null,
    at timestamptz not null default now()
);
