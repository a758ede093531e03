-- name: add_link
insert into links (ticket, kind, ends_at, room, made_by)
values (%(ticket)s, %(kind)s, now() + make_interval(days => %(days)s), %(room)s, %(who)s)
returning id;

-- name: links_of_ticket
select id, kind, ends_at, used, room, come, made_by, made_at, ended_at is not null or ends_at < now() as ended
from links where ticket = %(ticket)s order by made_at desc limit 50;

-- name: link
-- One that is good.
select links.id, links.ticket, links.kind, links.ends_at, links.used, links.room, links.come, links.made_by,
       links.made_at, false as ended
from links join tickets on tickets.id = links.ticket
where links.id = %(link)s and links.kind = %(kind)s and links.ended_at is null and links.ends_at > now()
  and tickets.binned_at is null;

-- name: ticket_by_id
select id, number, title, client, client_id, kind, brief, slip, slip_version, due_at, state, reason, requests
from tickets where id = %(ticket)s and binned_at is null;

-- name: link_used
update links set used = used + 1 where id = %(link)s;

-- name: take_room
-- Room for a file that comes, unless there is none left.
update links set come = come + %(bytes)s, used = used + 1
where id = %(link)s and come + %(bytes)s <= room
returning id;

-- name: end_link
update links set ended_at = now() where id = %(link)s and ended_at is null returning ticket as id;
