-- name: events_of_ticket
select events.id, events.photo, photos.title as photo_title, events.what, events.who, events.made_at
from events left join photos on photos.id = events.photo
where events.ticket = %(ticket)s and (%(before)s::bigint is null or events.id < %(before)s)
order by events.id desc limit 40;

-- name: add_event
insert into events (ticket, photo, what, who) values (%(ticket)s, %(photo)s, %(what)s, %(who)s);

-- name: add_event_of_photo
insert into events (ticket, photo, what, who)
select ticket, id, %(what)s, %(who)s from photos where id = %(photo)s;
