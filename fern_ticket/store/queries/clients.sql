-- name: clients_page
-- By name, with how many tickets each has; those with certain words.
select clients.id, clients.name, clients.contact, clients.slip, clients.name_pattern, clients.words, clients.taste, clients.way,
       counted.open, counted.tickets, counted.latest, count(*) over () as total
from clients
cross join lateral (
    select count(*)::integer as tickets, count(*) filter (where state <> 'closed')::integer as open,
           max(tickets.made_at) as latest
    from tickets where tickets.client_id = clients.id and binned_at is null
) counted
where %(words)s = '' or lower(clients.name || ' ' || clients.contact) like '%%' || %(words)s || '%%'
order by lower(clients.name)
limit %(limit)s offset %(offset)s;

-- name: client_by_id
select id, name, contact, slip, name_pattern, words, taste, way from clients where id = %(client)s;

-- name: client_by_name
select id, name, contact, slip, name_pattern, words, taste, way from clients where lower(name) = lower(%(name)s);

-- name: add_client
insert into clients (name, contact, slip, name_pattern, words, taste, way)
values (%(name)s, %(contact)s, %(slip)s, %(name_pattern)s, %(words)s, %(taste)s, %(way)s)
on conflict do nothing
returning id;

-- name: change_client
update clients
set name = %(name)s, contact = %(contact)s, slip = %(slip)s, name_pattern = %(name_pattern)s, words = %(words)s,
    taste = %(taste)s, way = %(way)s
where id = %(client)s
  and not exists (select from clients other where lower(other.name) = lower(%(name)s) and other.id <> %(client)s)
returning id;

-- name: remove_client
-- Only one without tickets, those in the bin included.
delete from clients
where id = %(client)s and not exists (select from tickets where client_id = clients.id)
returning id;

-- name: returns_of_client
-- What came back, and why.
select hand_overs.id, tickets.number, photos.title as photo, hand_overs.reasons, hand_overs.ended_at
from hand_overs
join photos on photos.id = hand_overs.photo
join tickets on tickets.id = photos.ticket
where tickets.client_id = %(client)s and hand_overs.reasons <> '{}' and hand_overs.ended_at is not null
  and exists (select from notes where notes.photo = photos.id and notes.side = 'desk')
order by hand_overs.ended_at desc limit 40;

-- name: months_of_client
-- Figures by month, the newest first: photos that were brought, those accepted, how often something came back, and hours.
with brought as (
    select to_char(photos.made_at, 'YYYY-MM') as month, count(*) as photos,
           count(*) filter (where photos.stage = 'accepted') as accepted,
           sum((select count(*) from hand_overs
                where hand_overs.photo = photos.id and hand_overs.state = 'returned')) as returned
    from photos join tickets on tickets.id = photos.ticket
    where tickets.client_id = %(client)s and photos.state <> 'refused' and not photos.material
    group by 1
), worked as (
    select to_char(day, 'YYYY-MM') as month, sum(minutes) as minutes
    from (
        select hours.day, hours.seconds / 60 as minutes
        from hours join photos on photos.id = hours.photo join tickets on tickets.id = photos.ticket
        where tickets.client_id = %(client)s
        union all
        select hour_corrections.day, hour_corrections.minutes
        from hour_corrections join tickets on tickets.id = hour_corrections.ticket
        where tickets.client_id = %(client)s
    ) every_one
    group by 1
)
select month, coalesce(photos, 0)::integer as photos, coalesce(accepted, 0)::integer as accepted,
       coalesce(returned, 0)::integer as returned, coalesce(minutes, 0)::double precision as minutes
from brought full join worked using (month)
order by month desc limit 24;

-- name: taste_of_client
select taste from clients where id = %(client)s;
