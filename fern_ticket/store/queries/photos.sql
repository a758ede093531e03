-- name: photos_of_ticket
select * from photo_rows where ticket = %(ticket)s order by position;

-- name: photo_by_id
select * from photo_rows where id = %(photo)s;

-- name: blobs_of_ticket
select blob as words from photos where ticket = %(ticket)s;

-- name: add_photo
-- A picture that is already on the ticket comes back as it is.
with place as (
    select coalesce(max(position), 0) + 1 as next from photos where ticket = %(ticket)s
), made as (
    insert into photos (ticket, position, title, note, blob)
    select %(ticket)s, next, %(title)s, %(note)s, %(blob)s from place
    on conflict (ticket, blob) do nothing
    returning id
)
select id, true as new from made
union all
select id, false from photos where ticket = %(ticket)s and blob = %(blob)s and not exists (select from made);

-- name: start_ledger
with made as (
    insert into revisions (photo, parent, summary, digests)
    select id, null, 'Original', '{}' from photos where id = %(photo)s and head is null
    returning id
)
update photos set head = made.id, tip = made.id from made where photos.id = %(photo)s;

-- name: photo_ready
update photos
set state = 'ready', problem = null, width = %(width)s, height = %(height)s, remarks = %(remarks)s,
    facts = case when facts = '{}' then %(facts)s else facts end, taken = %(taken)s
where id = %(photo)s;

-- name: photo_refused
update photos set state = 'refused', problem = %(problem)s where id = %(photo)s;

-- name: photos_preparing
select id from photos where state = 'preparing';

-- name: remove_refused_photo
delete from photos where id = %(photo)s and state = 'refused';

-- name: set_facts
update photos set title = %(title)s, facts = %(facts)s, said = said + 1 where id = %(photo)s;

-- name: taken_of_ticket
select id, taken from photos where ticket = %(ticket)s and state = 'ready' and taken is not null order by position;
