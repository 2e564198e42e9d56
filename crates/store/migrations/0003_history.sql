-- Findings and standings become rows with a history. Until here a standing carried its details as one
-- JSON value that a newer check overwrote: nothing said when it had been seen, by which rules, or what
-- had been found before.

-- Part of PostgreSQL's own contrib modules; searches in any part of a text use its index.
create extension if not exists pg_trgm;

-- Pages of a site. For now each site has the one it is addressed by.
create table pages (
    id bigint generated always as identity primary key,
    site_id bigint not null references sites on delete cascade,
    url text not null,
    kind text not null default 'home',
    unique (site_id, url)
);
insert into pages (site_id, url) select id, url from sites;

-- One look at a site, judged once: when it was seen, by which expectation and which rules.
create table checks (
    id bigint generated always as identity primary key,
    site_id bigint not null references sites on delete cascade,
    job_id bigint references jobs on delete set null,
    -- Judged again without a new look: the check whose visits were judged.
    judged_from bigint references checks on delete cascade,
    kind text not null,
    seen_at timestamptz not null,
    judged_at timestamptz not null default now(),
    expectation text not null default '',
    rules integer not null,
    outcome text not null default '',
    root text,
    -- The accepted baseline is never pruned.
    pinned boolean not null default false,
    asides jsonb not null default '[]'
);
create index checks_site on checks (site_id, id desc);

create table findings (
    id bigint generated always as identity primary key,
    check_id bigint not null references checks on delete cascade,
    site_id bigint not null references sites on delete cascade,
    page_id bigint references pages on delete set null,
    family text not null,
    place integer not null,
    code text not null,
    -- 0 note, 1 warning, 2 fault, 3 broken.
    severity smallint not null,
    summary text not null,
    remedy text not null,
    evidence jsonb not null,
    candidates jsonb not null,
    -- Of what it says: the same finding of two checks has the same.
    hash bytea not null
);
create index findings_check on findings (check_id, family, place);
create index findings_site on findings (site_id, code);

-- What a family's drawing and section are made from, with the version of its shape.
create table drawings (
    check_id bigint not null references checks on delete cascade,
    family text not null,
    version integer not null,
    data jsonb not null,
    primary key (check_id, family)
);

-- Blobs that a check holds on to; pruning a check lets them go.
create table check_blobs (
    check_id bigint not null references checks on delete cascade,
    key text not null,
    primary key (check_id, key)
);
create index check_blobs_key on check_blobs (key);

-- A standing points at its check. `at` is when it was seen, and only a newer look replaces it.
alter table standings add column check_id bigint references checks on delete set null;
alter table standings drop column detail;
update standings set state = 'stale', summary = 'Judged by an earlier version: verify again.', remedy = ''
    where state in ('passing', 'failing', 'undecided');
drop function aged(text, timestamptz, double precision);
create index standings_age on standings (at) where state in ('passing', 'failing', 'undecided');

-- Observations belong to checks now; those of before are let go with their standings.
delete from observations;
alter table observations add column check_id bigint not null references checks on delete cascade;
alter table observations drop constraint observations_job_id_viewport_consent_key;
alter table observations drop column job_id;
alter table observations add unique (check_id, viewport, consent);

-- What lists sort, count and search by, kept with the site so that no page scans for it.
alter table sites
    add column worst smallint not null default 4,
    add column codes text not null default '',
    add column search text not null default '',
    add column next_family text,
    add column next_state text,
    add column next_act text,
    add column next_why text not null default '';
create index sites_worst on sites (worst, client_id, id);
create index sites_next on sites (next_family, next_act);
create index sites_search on sites using gin (search gin_trgm_ops);
drop index sites_name;
create index standings_site_state on standings (family, state, site_id);

-- Worst first, as the core orders them.
create function state_rank(state text) returns smallint language sql immutable as $$
    select array_position(array['failing', 'undecided', 'stale', 'not_yet', 'passing', 'not_applicable'], state)::smallint
$$;

-- Counts of the Trail. Rows are only added, so that two transactions never wait for each other over a
-- count; `compact_tallies` sums them up now and then.
create table tallies (family text not null, state text not null, n bigint not null);

create function compact_tallies() returns void language sql as $$
    with taken as (delete from tallies returning family, state, n)
    insert into tallies select family, state, sum(n) from taken group by family, state having sum(n) <> 0
$$;

create function count_standing() returns trigger language plpgsql as $$
declare
    of_site bigint := case when tg_op = 'DELETE' then old.site_id else new.site_id end;
begin
    if tg_op <> 'INSERT' then
        if tg_op = 'UPDATE' and new.state = old.state then
            return null;
        end if;
        insert into tallies values (old.family, old.state, -1);
    end if;
    if tg_op <> 'DELETE' then
        insert into tallies values (new.family, new.state, 1);
        update sites set worst = coalesce((select min(state_rank(s.state)) from standings s where s.site_id = of_site), 4)
            where id = of_site;
    end if;
    return null;
end $$;
create trigger standings_counted after insert or update of state or delete on standings
    for each row execute function count_standing();

create function count_site() returns trigger language plpgsql as $$
declare
    names text[] := array['failing', 'undecided', 'stale', 'not_yet', 'passing', 'not_applicable'];
begin
    if tg_op = 'UPDATE' and new.worst = old.worst then
        return null;
    end if;
    if tg_op <> 'INSERT' then
        insert into tallies values ('estate', names[old.worst], -1);
    end if;
    if tg_op <> 'DELETE' then
        insert into tallies values ('estate', names[new.worst], 1);
    end if;
    return null;
end $$;
create trigger sites_counted after insert or update of worst or delete on sites
    for each row execute function count_site();

-- Everything a person may search a site by.
create function make_searchable() returns trigger language plpgsql as $$
begin
    new.search := lower(concat_ws(' ',
        (select name from clients where id = new.client_id), new.name, new.url, new.key, new.contact, new.country,
        new.supplier_id, (select name from suppliers where id = new.supplier_id),
        new.platform_id, (select name from platforms where id = new.platform_id),
        new.consent_id, (select name from consent_managers where id = new.consent_id),
        new.slot_id, new.codes));
    return new;
end $$;
create trigger sites_searchable before insert
    or update of client_id, name, url, key, contact, country, supplier_id, platform_id, consent_id, slot_id, codes, search
    on sites for each row execute function make_searchable();

-- A new name of what sites refer to reaches their search text.
create function rename_in_search() returns trigger language plpgsql as $$
begin
    execute format('update sites set search = '''' where %I = $1', tg_argv[0]) using new.id;
    return null;
end $$;
create trigger clients_renamed after update of name on clients
    for each row when (old.name is distinct from new.name) execute function rename_in_search('client_id');
create trigger suppliers_renamed after update of name on suppliers
    for each row when (old.name is distinct from new.name) execute function rename_in_search('supplier_id');
create trigger platforms_renamed after update of name on platforms
    for each row when (old.name is distinct from new.name) execute function rename_in_search('platform_id');
create trigger managers_renamed after update of name on consent_managers
    for each row when (old.name is distinct from new.name) execute function rename_in_search('consent_id');

update sites set search = '';
insert into tallies select family, state, count(*) from standings group by family, state;
update sites set worst = coalesce((select min(state_rank(s.state)) from standings s where s.site_id = sites.id), 4);
delete from tallies where family = 'estate';
insert into tallies
    select 'estate', (array['failing', 'undecided', 'stale', 'not_yet', 'passing', 'not_applicable'])[worst], count(*)
    from sites group by worst;

-- What happened, for whoever wants to hear of it: written with the act, told once the act is kept.
create table outbox (
    id bigint generated always as identity primary key,
    at timestamptz not null default now(),
    kind text not null,
    body jsonb not null
);
create index outbox_at on outbox (at);
create function tell_outbox() returns trigger language plpgsql as $$
begin
    perform pg_notify('newtfern_events', (new.body || jsonb_build_object('kind', new.kind))::text);
    return null;
end $$;
create trigger outbox_told after insert on outbox for each row execute function tell_outbox();

-- Secrets are bound to their row now; those sealed before cannot be, and are asked for again.
update sites set token_sealed = null;
update suppliers set token_sealed = null;
