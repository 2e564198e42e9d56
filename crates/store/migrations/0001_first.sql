-- People and what they may do. Tokens are kept as SHA-256, so that a copied table signs nobody in.
create table people (
    id bigint generated always as identity primary key,
    email text not null unique check (email = lower(email)),
    name text not null,
    role text not null check (role in ('administrator', 'technician', 'viewer')),
    password_hash text not null,
    created_at timestamptz not null default now()
);

create table sessions (
    token_hash bytea primary key,
    person_id bigint not null references people on delete cascade,
    csrf text not null,
    expires_at timestamptz not null
);

-- Every change and who made it. No foreign key: the trail outlives the person.
create table audit (
    id bigint generated always as identity primary key,
    at timestamptz not null default now(),
    who text not null,
    act text not null,
    subject text not null,
    detail jsonb not null default '{}'
);
create index audit_at on audit (at desc);

-- Small settings with one value each: the house style, the network rule.
create table settings (name text primary key, value jsonb not null);

-- Profiles as their own text, because that is what people read and edit.
create table suppliers (
    id text primary key,
    name text not null,
    profile text not null,
    token_sealed bytea
);
create table platforms (id text primary key, name text not null, profile text not null);
create table consent_managers (id text primary key, name text not null, profile text not null);

create table clients (
    id bigint generated always as identity primary key,
    name text not null unique,
    sheet jsonb not null default '{}',
    logo text,
    logo_type text,
    created_at timestamptz not null default now()
);

create table sites (
    id bigint generated always as identity primary key,
    client_id bigint not null references clients on delete cascade,
    name text not null,
    url text not null unique,
    platform_id text references platforms,
    consent_id text references consent_managers,
    supplier_id text references suppliers,
    key text not null default '',
    slot_id text not null default '',
    languages text not null default '',
    country text not null default '',
    time_zone text not null default '',
    contact text not null default '',
    adjustments jsonb not null default '{}',
    budget_ms double precision not null default 50 check (budget_ms >= 0),
    token_sealed bytea,
    preview_desktop text,
    preview_phone text,
    created_at timestamptz not null default now()
);
create index sites_client on sites (client_id);
-- The lenses search by any part of a name or address.
create index sites_name on sites (lower(name));

-- One row a site and family from the moment a site exists, so that counting never has to guess.
create table standings (
    site_id bigint not null references sites on delete cascade,
    family text not null,
    state text not null default 'not_yet',
    summary text not null default '',
    remedy text not null default '',
    detail jsonb not null default '{}',
    at timestamptz not null default now(),
    primary key (site_id, family)
);
create index standings_family on standings (family, state);

create table rounds (
    id bigint generated always as identity primary key,
    kind text not null,
    title text not null,
    who text not null,
    created_at timestamptz not null default now(),
    cancelled_at timestamptz
);

-- The queue. A job is claimed with a lease; only the holder of the lease may finish it, in the same
-- transaction that stores its result. So a killed worker loses nothing (the lease runs out and the
-- job is claimed again) and nothing is stored twice (the late worker no longer holds the lease).
create table jobs (
    id bigint generated always as identity primary key,
    round_id bigint not null references rounds on delete cascade,
    site_id bigint not null references sites on delete cascade,
    kind text not null,
    spec jsonb not null default '{}',
    state text not null default 'waiting' check (state in ('waiting', 'running', 'done', 'failed', 'cancelled')),
    attempts integer not null default 0,
    lease text,
    lease_until timestamptz,
    progress_done integer not null default 0,
    progress_of integer not null default 0,
    outcome text not null default '',
    result jsonb,
    created_at timestamptz not null default now(),
    finished_at timestamptz
);
create index jobs_waiting on jobs (id) where state in ('waiting', 'running');
create index jobs_round on jobs (round_id);
create index jobs_site on jobs (site_id, kind, id desc);

create table observations (
    id bigint generated always as identity primary key,
    job_id bigint not null references jobs on delete cascade,
    site_id bigint not null references sites on delete cascade,
    viewport text not null,
    consent text not null,
    seen jsonb not null,
    at timestamptz not null default now(),
    unique (job_id, viewport, consent)
);
create index observations_site on observations (site_id, id desc);

-- What a slot held before each push, so that it can be put back.
create table placements (
    id bigint generated always as identity primary key,
    site_id bigint not null references sites on delete cascade,
    slot_id text not null,
    before_text text not null,
    after_text text not null,
    ours text not null,
    who text not null,
    at timestamptz not null default now(),
    put_back_at timestamptz
);
create index placements_site on placements (site_id, id desc);

create table handovers (
    id bigint generated always as identity primary key,
    site_id bigint not null references sites on delete cascade,
    token_hash bytea not null unique,
    html text not null,
    pdf text,
    who text not null,
    created_at timestamptz not null default now(),
    expires_at timestamptz not null,
    withdrawn_at timestamptz,
    accepted_by text not null default '',
    accepted_at timestamptz
);
create index handovers_site on handovers (site_id, id desc);
