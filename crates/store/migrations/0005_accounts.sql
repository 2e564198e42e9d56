-- Whoever is locked cannot sign in; what they did stays under their name.
alter table people add column locked_at timestamptz;

-- The second factor (RFC 6238): its secret, sealed for the row; the step of the last code that was
-- taken, so that no code opens twice. A secret that was not yet confirmed by a code stands beside.
alter table people add column second_sealed bytea;
alter table people add column second_pending bytea;
alter table people add column second_step bigint not null default 0;

-- Each works once, in place of a code.
create table recovery_codes (
    person_id bigint not null references people on delete cascade,
    code_hash bytea not null,
    primary key (person_id, code_hash)
);

-- Sessions are listed to their person. `passed` is false between the password and the second factor.
alter table sessions add column id bigint generated always as identity;
alter table sessions add column opened_at timestamptz not null default now();
alter table sessions add column seen_at timestamptz not null default now();
alter table sessions add column peer text not null default '';
alter table sessions add column agent text not null default '';
alter table sessions add column passed boolean not null default true;
create index sessions_of on sessions (person_id);

-- Links by which a person chooses a password, once.
create table password_links (
    token_hash bytea primary key,
    person_id bigint not null references people on delete cascade,
    expires_at timestamptz not null
);

-- Browsers from which somebody signed in before: attempts from elsewhere do not delay them.
create table known_browsers (
    token_hash bytea primary key,
    person_id bigint not null references people on delete cascade,
    expires_at timestamptz not null
);
