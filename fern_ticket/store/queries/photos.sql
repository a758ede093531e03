-- name: photos_of_ticket
select * from photo_rows where ticket = %(ticket)s order by position;

-- name: photo_by_id
select * from photo_rows where id = %(photo)s;

-- name: blobs_of_ticket
-- Former originals too: a step may still read one. What lies in the bin no new step can read.
select unnest(blob || former) as words from photos where ticket = %(ticket)s and binned_at is null;

-- name: add_photo
-- A picture that is already on the ticket comes back as it is, out of the bin if it lies there.
with place as (
    select coalesce(max(position), 0) + 1 as next from photos where ticket = %(ticket)s
), made as (
    insert into photos (ticket, position, title, note, blob)
    select %(ticket)s, next, %(title)s, %(note)s, %(blob)s from place
    on conflict (ticket, blob) do nothing
    returning id
), back as (
    update photos set binned_at = null
    where ticket = %(ticket)s and blob = %(blob)s and binned_at is not null and not exists (select from made)
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

-- name: prepare_again
update photos set state = 'preparing', problem = null where id = %(photo)s and state = 'refused' returning id;

-- name: photos_preparing
-- Those that no job waits for.
select id from photos
where state = 'preparing'
  and not exists (select from procrastinate_jobs where status = 'todo' and queueing_lock = 'prepare_photo:' || photos.id);

-- name: set_facts
update photos set title = %(title)s, facts = %(facts)s, said = said + 1 where id = %(photo)s;

-- name: set_photo_words
update photos set title = coalesce(%(title)s, title), note = coalesce(%(note)s, note), said = said + 1
where id = %(photo)s;

-- name: order_photos
update photos set position = given.place
from unnest(%(photos)s::uuid[]) with ordinality as given (id, place)
where photos.id = given.id and photos.ticket = %(ticket)s;

-- name: order_the_rest
-- Those in the bin go behind the others, so that no two have one place.
update photos set position = %(after)s + rest.place
from (select id, row_number() over (order by position) as place from photos
      where ticket = %(ticket)s and binned_at is not null) rest
where photos.id = rest.id;

-- name: move_photo
-- To the end of another ticket, unless the same picture is there.
update photos
set ticket = %(ticket)s, position = (select coalesce(max(position), 0) + 1 from photos where ticket = %(ticket)s)
where id = %(photo)s
  and not exists (select from photos other where other.ticket = %(ticket)s and other.blob = photos.blob)
returning id;

-- name: photo_of_ticket
select id, false as new from photos where id = %(photo)s and ticket = %(ticket)s and binned_at is null;

-- name: keep_with_photo
-- Files that steps of the photo read, kept as long as it is.
update photos set former = former || array(select unnest(%(blobs)s::text[]) except select unnest(former))
where id = %(photo)s;

-- name: replace_original
update photos set former = former || blob, blob = %(blob)s, state = 'preparing', said = said + 1
where id = %(photo)s
  and not exists (select from photos other
                  where other.ticket = photos.ticket and other.id <> photos.id and other.blob = %(blob)s)
returning id;

-- name: set_material
update photos set material = %(material)s where id = %(photo)s and material <> %(material)s returning id;

-- name: set_frames_material
-- What a photo's starting picture is made of is not delivered by itself, unless it was worked on.
update photos set material = %(material)s
where ticket = %(ticket)s and id <> %(photo)s and blob = any(%(blobs)s) and material <> %(material)s
  and (not %(material)s
       or not exists (select from revisions where revisions.id = photos.head and revisions.step_count > 0)
          and not exists (select from hand_overs where hand_overs.photo = photos.id));

-- name: bin_photo
update photos set binned_at = now() where id = %(photo)s and binned_at is null returning id;

-- name: restore_photo
update photos set binned_at = null where id = %(photo)s and binned_at is not null returning id;

-- name: remove_refused_photo
delete from photos where id = %(photo)s and state = 'refused' returning id;

-- name: delete_photo
delete from photos where id = %(photo)s and binned_at is not null returning id;

-- name: taken_of_ticket
select id, taken from photos
where ticket = %(ticket)s and state = 'ready' and taken is not null and binned_at is null order by position;

-- name: blobs_on_benches
select distinct photos.blob as words from photos join leases on leases.photo = photos.id where leases.until >= now();
