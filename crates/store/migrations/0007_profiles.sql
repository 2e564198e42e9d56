-- Regions are profiles like the others, and every profile has versions. What ships with the program is
-- remembered as it shipped: a profile that nobody changed follows the next release, one that somebody
-- changed stays theirs.

create table regions (id text primary key, name text not null, profile text not null);

create table profile_versions (
    kind text not null check (kind in ('supplier', 'platform', 'consent', 'region')),
    id text not null,
    number integer not null,
    text text not null,
    who text not null,
    why text not null default '',
    at timestamptz not null default now(),
    primary key (kind, id, number)
);

insert into profile_versions (kind, id, number, text, who)
select 'supplier', id, 1, profile, 'an earlier version of the program' from suppliers
union all
select 'platform', id, 1, profile, 'an earlier version of the program' from platforms
union all
select 'consent', id, 1, profile, 'an earlier version of the program' from consent_managers;

create table shipped_profiles (
    kind text not null,
    id text not null,
    -- As the program that runs now ships it.
    text text not null,
    -- As it shipped when ours was last the same.
    taken text not null,
    primary key (kind, id)
);
