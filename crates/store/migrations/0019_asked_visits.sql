-- Visits that somebody asked for and waits for, of an address that belongs to no site: what a profile would find
-- there. Workers make them; pages start no browser.
create table asked_visits (
    id bigint generated always as identity primary key,
    who text not null,
    url text not null,
    profile text not null,
    at timestamptz not null default now(),
    -- Nobody waits for it after this.
    until timestamptz not null,
    taken_at timestamptz,
    answer jsonb
);
