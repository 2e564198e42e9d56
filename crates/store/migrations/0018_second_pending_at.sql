-- A secret that waits to be confirmed is shown on the account's page: it waits for a short while only.
alter table people add column second_pending_at timestamptz;
update people set second_pending = null;
