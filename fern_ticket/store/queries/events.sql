-- name: events_of_ticket
select events.id, events.photo, photos.title as photo_title, events.what, events.who, events.made_at
from events left join photos on photos.id = events.photo
where events.ticket = %(ticket)s and (%(before)s::bigint is null or events.id < %(before)s)
order by events.id desc limit 40;

-- name: add_event
insert into events (ticket, photo, what, who, about)
select id, %(photo)s, %(what)s, %(who)s, number from tickets where id = %(ticket)s;

-- name: add_event_of_photo
insert into events (ticket, photo, what, who, about)
select photos.ticket, photos.id, %(what)s, %(who)s, tickets.number || ' ' || photos.title
from photos join tickets on tickets.id = photos.ticket where photos.id = %(photo)s;

-- name: add_happening
-- What a person did, to what, and from where.
insert into events (ticket, photo, what, who, about, address)
values (
    %(ticket)s, %(photo)s, %(what)s, %(who)s,
    coalesce(
        (select tickets.number || ' ' || photos.title from photos join tickets on tickets.id = photos.ticket
         where photos.id = %(photo)s),
        (select number from tickets where id = %(ticket)s),
        %(about)s
    ),
    %(address)s
);

-- name: happenings
-- The newest first, those with certain words.
select id, what, who, about, address, made_at from events
where (%(words)s = '' or lower(what || ' ' || who || ' ' || about) like '%%' || %(words)s || '%%')
  and (%(before)s::bigint is null or id < %(before)s)
order by id desc limit %(limit)s;
