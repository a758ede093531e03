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
    where binned_at is null
      and (%(words)s = '' or words like '%%' || %(words)s || '%%')
      and (%(kind)s::text is null or kind = %(kind)s)
      and (%(client)s::uuid is null or client_id = %(client)s)
      and (%(editor)s::uuid is null
           or exists (select from ticket_editors where ticket = tickets.id and user_id = %(editor)s))
      and (%(stage)s::text is null
           or (%(stage)s in ('on_hold', 'closed') and state = %(stage)s)
           or (%(stage)s = 'done' and state = 'open' and exists (select from wanted_photos where ticket = tickets.id)
               and not exists (select from wanted_photos where ticket = tickets.id and stage <> 'accepted'))
           or (%(stage)s = 'open' and state <> 'closed' and (
                  exists (select from wanted_photos where ticket = tickets.id and stage <> 'accepted')
                  or not exists (select from wanted_photos where ticket = tickets.id)))
           or (%(stage)s not in ('on_hold', 'closed', 'done', 'open') and exists (
                  select from wanted_photos where ticket = tickets.id and stage = %(stage)s)))
    order by place
    limit %(limit)s offset %(offset)s
)
select chosen.id, chosen.number, chosen.title, chosen.client, chosen.kind, chosen.due_at, chosen.state, chosen.total,
       counted.photos, counted.stages, counted.notes, counted.thumbnails,
       array(select users.name from ticket_editors join users on users.id = ticket_editors.user_id
             where ticket_editors.ticket = chosen.id order by lower(users.name)) as editors
from chosen
cross join lateral (
    select count(*)::integer as photos,
           coalesce(array_agg(stage order by position), '{}') as stages,
           (select count(*) from notes join photos noted on noted.id = notes.photo
            where noted.ticket = chosen.id and noted.binned_at is null
              and notes.done_at is null and notes.side <> 'editor')::integer as notes,
           coalesce((array_agg(id order by position) filter (where state = 'ready'))[1:5], '{}') as thumbnails
    from wanted_photos where ticket = chosen.id and state <> 'refused'
) counted
order by place;

-- name: board_counts
select count(*)::integer as tickets,
       count(*) filter (where due_at < date_trunc('day', now()) + interval '1 day')::integer as pressing
from tickets
where binned_at is null and state <> 'closed'
  and (exists (select from wanted_photos where ticket = tickets.id and stage <> 'accepted')
       or not exists (select from wanted_photos where ticket = tickets.id));

-- name: ticket_by_number
select id, number, title, client, client_id, kind, brief, slip, slip_version, due_at, state, reason, requests
from tickets where number = %(number)s and binned_at is null;

-- name: ticket_of_photo
select tickets.id, tickets.number, tickets.title, tickets.client, tickets.client_id, tickets.kind, tickets.brief,
       tickets.slip, tickets.slip_version, tickets.due_at, tickets.state, tickets.reason,
       tickets.requests
from tickets join photos on photos.ticket = tickets.id
where photos.id = %(photo)s;

-- name: add_ticket
insert into tickets (number, title, client, kind, brief, slip, slip_version, due_at, requests)
values (%(number)s, %(title)s, %(client)s, %(kind)s, %(brief)s, %(slip)s, %(slip_version)s, %(due_at)s, %(requests)s)
on conflict (number) do nothing
returning id;

-- name: number_is_used
select exists (select from numbers where number = %(number)s) as used;

-- name: next_count
-- The counter's row is locked until the transaction ends: two that make tickets at once get different numbers.
insert into counters (stem, last) values (%(stem)s, 1)
on conflict (stem) do update set last = counters.last + 1
returning last;

-- name: change_ticket
update tickets
set title = %(title)s, client = %(client)s, client_id = %(client_id)s, kind = %(kind)s, brief = %(brief)s,
    due_at = %(due_at)s, requests = %(requests)s
where id = %(ticket)s;

-- name: set_slip
update tickets set slip = %(slip)s, slip_version = %(version)s where id = %(ticket)s;

-- name: set_ticket_state
update tickets set state = %(state)s, reason = %(reason)s where id = %(ticket)s;

-- name: editors_of_ticket
select users.id, users.sign_in, users.name, users.role
from ticket_editors join users on users.id = ticket_editors.user_id
where ticket_editors.ticket = %(ticket)s order by lower(users.name);

-- name: set_editors
with gone as (
    delete from ticket_editors where ticket = %(ticket)s and user_id <> all(%(editors)s::uuid[])
)
insert into ticket_editors (ticket, user_id)
select %(ticket)s, id from users where id = any(%(editors)s::uuid[])
on conflict do nothing;

-- name: people_to_assign
-- Everybody who works here, with what each has to do.
select users.id, users.name, users.sign_in, count(tickets.id)::integer as tickets, min(tickets.due_at) as next_due
from users
left join ticket_editors on ticket_editors.user_id = users.id
left join tickets on tickets.id = ticket_editors.ticket and tickets.state = 'open' and tickets.binned_at is null
    and (not exists (select from wanted_photos where ticket = tickets.id)
         or exists (select from wanted_photos where ticket = tickets.id and stage <> 'accepted'))
where users.inactive_at is null
group by users.id order by lower(users.name), users.id;

-- name: bin_ticket
update tickets set binned_at = now() where id = %(ticket)s and binned_at is null returning id;

-- name: binned_tickets
-- All of them, or the one that is named.
select tickets.id, tickets.number, tickets.title, tickets.client, tickets.binned_at,
       (select count(*) from photos where photos.ticket = tickets.id)::integer as photos,
       exists (select from photos join hand_overs on hand_overs.photo = photos.id
               where photos.ticket = tickets.id and hand_overs.blob is not null) as delivered
from tickets where binned_at is not null and (%(ticket)s::uuid is null or tickets.id = %(ticket)s)
order by binned_at desc limit 500;

-- name: binned_photos
-- All of them, or the one that is named.
select photos.id, photos.title, photos.state, tickets.number, photos.binned_at,
       exists (select from hand_overs where hand_overs.photo = photos.id and hand_overs.blob is not null) as delivered
from photos join tickets on tickets.id = photos.ticket
where photos.binned_at is not null and tickets.binned_at is null
  and (%(photo)s::uuid is null or photos.id = %(photo)s)
order by photos.binned_at desc limit 500;

-- name: restore_ticket
update tickets set binned_at = null where id = %(ticket)s and binned_at is not null returning id;

-- name: blobs_that_go
-- Files of a ticket or a photo that nothing else needs.
with gone as (
    select id, blob, former from photos
    where ticket = %(ticket)s::uuid or id = %(photo)s::uuid
), files as (
    select blob as name from gone
    union select unnest(former) from gone
    union select hand_overs.blob from hand_overs join gone on gone.id = hand_overs.photo where hand_overs.blob is not null
    union select rendition ->> 'blob' from hand_overs join gone on gone.id = hand_overs.photo,
        jsonb_array_elements(hand_overs.renditions) rendition
)
select name as words from files
where not exists (
        select from photos where photos.id not in (select id from gone)
          and (photos.blob = files.name or files.name = any(photos.former)))
  and not exists (
        select from hand_overs where hand_overs.photo not in (select id from gone)
          and (hand_overs.blob = files.name or hand_overs.renditions @> jsonb_build_array(jsonb_build_object('blob', files.name))));

-- name: delete_ticket
delete from tickets where id = %(ticket)s and binned_at is not null returning id;

-- name: bin_ends
-- Tickets that have lain in the bin for so many days and of which nothing was delivered.
select id from tickets
where binned_at < now() - make_interval(days => %(days)s)
  and not exists (select from photos join hand_overs on hand_overs.photo = photos.id
                  where photos.ticket = tickets.id and hand_overs.blob is not null);

-- name: bin_ends_of_photos
select id from photos
where binned_at < now() - make_interval(days => %(days)s)
  and not exists (select from hand_overs where hand_overs.photo = photos.id and hand_overs.blob is not null);
