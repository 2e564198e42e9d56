-- The tag manager that puts code into a site's pages, and which of its sets they load.
alter table sites
    add column tag_manager_id text references platforms,
    add column tag_set text not null default '';
