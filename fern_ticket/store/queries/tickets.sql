-- name: tickets_page
-- A page of the board. Only the tickets of the page are joined with their photos.
with chosen as (
    select tickets.*, count(*) over () as total,
           row_number() over (order by
               case when %(sort)s = 'due' then due_at end,
               case when %(sort)s = 'number' then number end desc,
               case when %(sort)s = 'client' then lower(client) end,
               due_at, number) as place
    from tickets
    where (%(words)s = '' or words like '%%' || %(words)s || '%%')
      and (%(kind)s::text is null or kind = %(kind)s)
      and (%(stage)s::text is null
           or (%(stage)s = 'done' and not exists (
                  select from photos where photos.ticket = tickets.id and photos.stage <> 'accepted')
               and exists (select from photos where photos.ticket = tickets.id))
           or (%(stage)s = 'open' and (
                  exists (select from photos where photos.ticket = tickets.id and photos.stage <> 'accepted')
                  or not exists (select from photos where photos.ticket = tickets.id)))
           or exists (select from photos where photos.ticket = tickets.id and photos.stage = %(stage)s))
    order by place
    limit %(limit)s offset %(offset)s
)
select chosen.id, chosen.number, chosen.title, chosen.client, chosen.kind, chosen.due_at, chosen.total,
       counted.photos, counted.stages, counted.notes, counted.thumbnails
from chosen
cross join lateral (
    select count(*)::integer as photos,
           coalesce(array_agg(stage order by position), '{}') as stages,
           (select count(*) from notes join photos noted on noted.id = notes.photo
            where noted.ticket = chosen.id and notes.done_at is null and notes.side <> 'editor')::integer as notes,
           coalesce((array_agg(photos.id order by position) filter (where state = 'ready'))[1:5], '{}') as thumbnails
    from photos where photos.ticket = chosen.id and photos.state <> 'refused'
) counted
order by place;

-- name: board_counts
select count(*)::integer as tickets,
       count(*) filter (where due_at < date_trunc('day', now()) + interval '1 day')::integer as pressing
from tickets
where exists (select from photos where photos.ticket = tickets.id and photos.stage <> 'accepted')
   or not exists (select from photos where photos.ticket = tickets.id);

-- name: ticket_by_number
select id, number, title, client, kind, brief, desk, slip, slip_version, due_at from tickets where number = %(number)s;

-- name: ticket_of_photo
select tickets.id, tickets.number, tickets.title, tickets.client, tickets.kind, tickets.brief, tickets.desk,
       tickets.slip, tickets.slip_version, tickets.due_at
from tickets join photos on photos.ticket = tickets.id
where photos.id = %(photo)s;

-- name: add_ticket
insert into tickets (number, title, client, kind, brief, desk, slip, slip_version, due_at)
values (%(number)s, %(title)s, %(client)s, %(kind)s, %(brief)s, %(desk)s, %(slip)s, %(slip_version)s, %(due_at)s)
on conflict (number) do nothing
returning id;

-- name: set_slip
update tickets set slip = %(slip)s, slip_version = %(version)s where id = %(ticket)s;
