update standings set state = 'stale', summary = 'Seen long ago: ' || summary, remedy = ''
where state in ('passing', 'remarks', 'failing', 'undecided') and at < now() - make_interval(secs => $1)
returning site_id
