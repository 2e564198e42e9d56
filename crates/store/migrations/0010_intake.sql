-- A file that was brought in: shown first, taken after, wholly or not at all.
create table imports (
    id bigint generated always as identity primary key,
    who text not null,
    name text not null,
    at timestamptz not null default now(),
    -- A spreadsheet's bytes as they came; expectation files as a JSON list of names and texts.
    spreadsheet bytea,
    files jsonb,
    -- The client of new sites of files that name none.
    client_id bigint references clients on delete set null,
    -- What people said of clients that nearly equal a known one.
    answers jsonb not null default '{}',
    state text not null default 'shown' check (state in ('shown', 'running', 'done', 'failed')),
    progress_done integer not null default 0,
    progress_of integer not null default 0,
    cancelled boolean not null default false,
    beat timestamptz,
    outcome text not null default ''
);

-- Where a site was before its address was corrected.
create table former_addresses (
    id bigint generated always as identity primary key,
    site_id bigint not null references sites on delete cascade,
    url text not null,
    who text not null,
    until timestamptz not null default now()
);
create index former_addresses_site on former_addresses (site_id);

-- What was removed, whole, so that it can be brought back: the rows of each table as JSON. One removal is
-- one batch.
create table removals (
    id bigint generated always as identity primary key,
    who text not null,
    at timestamptz not null default now(),
    title text not null
);
create table removed_sites (
    removal_id bigint not null references removals on delete cascade,
    site_id bigint not null,
    url text not null,
    name text not null,
    client text not null,
    held jsonb not null,
    -- Blobs that are let go when the removal is forgotten.
    blobs text[] not null,
    primary key (removal_id, site_id)
);
create index removed_sites_blobs on removed_sites using gin (blobs);

-- Tokens of a client's accounts: with its platforms, and with its suppliers.
create table client_tokens (
    client_id bigint not null references clients on delete cascade,
    kind text not null check (kind in ('platform', 'supplier')),
    profile_id text not null,
    sealed bytea not null,
    primary key (client_id, kind, profile_id)
);
