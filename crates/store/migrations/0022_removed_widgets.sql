-- A widget that was taken off a site on purpose is expected nowhere until it is placed again; the page rules from
-- before come back then.
alter table sites
    add column off_since timestamptz,
    add column off_by text not null default '',
    add column off_not_on text not null default '';
-- The host at which a client runs its supplier.
alter table sites add column supplier_host text not null default '';
