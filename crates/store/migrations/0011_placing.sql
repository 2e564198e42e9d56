-- Pushes that were made together, over several slots of a site or over many sites.
alter table rounds add column of_round bigint references rounds on delete set null;
alter table placements
    add column batch bigint,
    add column round_id bigint references rounds on delete set null;
update placements set batch = id;
create index placements_round on placements (round_id) where round_id is not null;

-- The record of hand work on a site.
create table diary (
    id bigint generated always as identity primary key,
    site_id bigint not null references sites on delete cascade,
    at timestamptz not null default now(),
    who text not null,
    kind text not null,
    slot_id text not null default '',
    words text not null,
    -- Blob of a photo or picture.
    photo text
);
create index diary_site on diary (site_id, id desc);
create index diary_photo on diary (photo) where photo is not null;

-- Placing handed to somebody who has no account: a link with the steps and the code.
create table errands (
    id bigint generated always as identity primary key,
    site_id bigint not null references sites on delete cascade,
    token_hash bytea not null unique,
    slot_id text not null,
    to_whom text not null default '',
    who text not null,
    created_at timestamptz not null default now(),
    expires_at timestamptz not null,
    withdrawn_at timestamptz,
    done_at timestamptz,
    done_by text not null default ''
);
create index errands_site on errands (site_id, id desc);
create table errand_words (
    id bigint generated always as identity primary key,
    errand_id bigint not null references errands on delete cascade,
    at timestamptz not null default now(),
    who text not null,
    -- Written by the person with the link, not by the agency.
    outside boolean not null,
    words text not null
);
create index errand_words_of on errand_words (errand_id, id);
