-- name: watches_of
select watches.id, watches.client, watches.ticket, watches.settings, watches.secret is not null as has_secret,
       watches.looked_at, watches.trouble,
       coalesce(clients.name, tickets.number) as whose,
       (select count(*) from watched_files where watch = watches.id and state = 'taken')::integer as taken,
       array(select path || ': ' || says from watched_files
             where watch = watches.id and state = 'refused' order by seen_at desc limit 5) as refused
from watches
left join clients on clients.id = watches.client
left join tickets on tickets.id = watches.ticket
order by lower(coalesce(clients.name, tickets.number)), watches.id;

-- name: watch_by_id
select id, client, ticket, settings, secret from watches where id = %(watch)s;

-- name: watches_to_look_at
-- Those of tickets that are open, and of clients.
select watches.id, watches.client, watches.ticket, watches.settings, watches.secret
from watches left join tickets on tickets.id = watches.ticket
where watches.ticket is null or (tickets.state = 'open' and tickets.binned_at is null)
order by watches.looked_at nulls first, watches.id;

-- name: add_watch
insert into watches (client, ticket, settings, secret)
values (%(client)s, %(ticket)s, %(settings)s, %(secret)s)
returning id;

-- name: remove_watch
delete from watches where id = %(watch)s returning id;

-- name: watch_looked
update watches set looked_at = now(), trouble = %(trouble)s where id = %(watch)s;

-- name: watched_files
select path, mark, state from watched_files where watch = %(watch)s;

-- name: saw_file
insert into watched_files (watch, path, mark, state, says)
values (%(watch)s, %(path)s, %(mark)s, %(state)s, %(says)s)
on conflict (watch, path) do update
set mark = excluded.mark, state = excluded.state, says = excluded.says, seen_at = now();

-- name: ticket_of_client_called
-- An open one by its number or its title, the newest first.
select id, number, title, client, client_id, kind, brief, slip, slip_version, due_at, state, reason, requests
from tickets
where client_id = %(client)s and binned_at is null and state = 'open'
  and (lower(number) = lower(%(name)s) or lower(title) = lower(%(name)s))
order by made_at desc limit 1;
