-- name: tickets_by_due
select tickets.id, tickets.number, tickets.title, tickets.client, tickets.kind, tickets.due_at,
       count(photos.id) as photos,
       count(photos.id) filter (where jsonb_array_length(revisions.steps) > 0) as started,
       count(photos.id) filter (where latest.state = 'accepted') as accepted,
       count(photos.id) filter (where latest.state = 'returned') as returned,
       count(photos.id) filter (where latest.state in ('waiting', 'rendering', 'delivering')) as under_way,
       coalesce(array_agg(photos.id order by photos.position)
                filter (where photos.state = 'ready'), '{}') as thumbnails
from tickets
left join photos on photos.ticket = tickets.id
left join revisions on revisions.id = photos.head
left join lateral (
    select state from hand_overs where hand_overs.photo = photos.id order by asked_at desc limit 1
) latest on true
group by tickets.id
order by tickets.due_at, tickets.number;

-- name: ticket_by_number
select id, number, title, client, kind, brief, desk, slip, due_at from tickets where number = %(number)s;

-- name: ticket_of_photo
select tickets.id, tickets.number, tickets.title, tickets.client, tickets.kind, tickets.brief, tickets.desk,
       tickets.slip, tickets.due_at
from tickets join photos on photos.ticket = tickets.id
where photos.id = %(photo)s;

-- name: add_ticket
insert into tickets (number, title, client, kind, brief, desk, slip, due_at)
values (%(number)s, %(title)s, %(client)s, %(kind)s, %(brief)s, %(desk)s, %(slip)s, %(due_at)s)
on conflict (number) do nothing
returning id;
