-- Writes outside (slots, a tag manager's set, a supplier's settings) that were begun and whose end is not known yet.
-- What stood there before is kept before anything is written. A program that ends in between leaves its row here;
-- once the time it gave is over, what really stands there is read, and the write is settled by that. One for each
-- site at a time.
create table begun_writes (
    id bigint generated always as identity primary key,
    site_id bigint not null unique references sites on delete cascade,
    kind text not null check (kind in ('slots', 'slots_back', 'tag', 'tag_back', 'settings', 'settings_back')),
    -- Rows of placements or supplier_writes.
    rows bigint[] not null,
    who text not null,
    act text not null,
    at timestamptz not null default now(),
    until timestamptz not null
);
