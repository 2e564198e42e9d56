-- Sites that need the same have the same cause: the code of what leads them, or the action itself.
alter table sites add column next_cause text;
drop index sites_next;
create index sites_next on sites (next_family, next_cause);
