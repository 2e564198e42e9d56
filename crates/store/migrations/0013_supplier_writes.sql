-- What a supplier's settings held before a design was written there, so that it can be put back.
create table supplier_writes (
    id bigint generated always as identity primary key,
    site_id bigint not null references sites (id) on delete cascade,
    supplier_id text not null,
    key text not null,
    -- A list of {there, is, becomes}.
    changes jsonb not null,
    who text not null,
    at timestamptz not null default now(),
    put_back_at timestamptz
);
create index supplier_writes_by_site on supplier_writes (site_id, id desc);
