-- A link to instructions is for one of a site's widgets, by its key; empty is the first. Places change
-- when a widget is taken away, keys do not.
alter table errands add column widget_key text not null default '';
