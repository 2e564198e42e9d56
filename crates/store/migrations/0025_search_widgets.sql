-- A site is found by its further widgets too: their suppliers and keys stand in what its file says
-- beyond its fields.
create or replace function make_searchable() returns trigger language plpgsql as $$
begin
    new.search := lower(concat_ws(' ',
        (select name from clients where id = new.client_id), new.name, new.url, new.key, new.contact, new.country,
        new.supplier_id, (select name from suppliers where id = new.supplier_id),
        new.platform_id, (select name from platforms where id = new.platform_id),
        new.consent_id, (select name from consent_managers where id = new.consent_id),
        new.slot_id, new.codes, beyond_widgets(new.beyond)));
    return new;
end $$;
-- Keys and suppliers, with the names of these, that a file gives.
create function beyond_widgets(file text) returns text language sql stable as $$
    select string_agg(concat_ws(' ', found.said[1], (select name from suppliers where id = found.said[1])), ' ')
    from regexp_matches(file, '(?:supplier|key) = "([^"]*)"', 'g') as found (said)
$$;
drop trigger sites_searchable on sites;
create trigger sites_searchable before insert
    or update of client_id, name, url, key, contact, country, supplier_id, platform_id, consent_id, slot_id, codes, beyond, search
    on sites for each row execute function make_searchable();
update sites set search = '' where beyond <> '';
