-- Where a token may be sent: each origin (scheme, host, port) that was confirmed for it. An address that a form, a
-- file or a profile names later is none of them until an administrator confirms it. The holder is the row for which
-- the token is sealed ("client 3 platform tarnwork token"). Tokens from before have none and are asked for once.
create table token_origins (
    holder text not null,
    origin text not null,
    who text not null,
    at timestamptz not null default now(),
    primary key (holder, origin)
);

-- What is brought in may hold tokens: it is kept sealed from now on. Files that wait in clear are let go.
update imports set spreadsheet = null, files = null, state = 'failed',
    outcome = 'The file was not kept over an update: import it again.'
    where state in ('shown', 'failed', 'running') and (spreadsheet is not null or files is not null);
alter table imports drop column spreadsheet;
alter table imports drop column files;
alter table imports add column sealed bytea;
