-- Photos that are brought for others to be made with: frames of a series, a darker rendition, a sky, a shot of the floor.
-- They are not delivered, and a ticket does not wait for them.
alter table photos add column material boolean not null default false;

create view wanted_photos as
select id, ticket, position, state, stage from photos where binned_at is null and not material;

create or replace view photo_rows as
select photos.id, photos.ticket, photos.position, photos.title, photos.note, photos.blob, photos.state,
       photos.problem, photos.remarks, photos.width, photos.height, photos.head, photos.stage, photos.facts,
       photos.said as said_count,
       coalesce(revisions.step_count, 0) as steps, latest.state as hand_over, latest.reasons,
       holder.name as holder,
       (select count(*) from notes where notes.photo = photos.id and done_at is null)::integer as open_notes,
       clients.words as client_words, photos.material
from photos
join tickets on tickets.id = photos.ticket
join clients on clients.id = tickets.client_id
left join leases on leases.photo = photos.id and leases.until >= now()
left join users holder on holder.id = leases.user_id
left join revisions on revisions.id = photos.head
left join lateral (
    select state, reasons from hand_overs where hand_overs.photo = photos.id order by asked_at desc limit 1
) latest on true
where photos.binned_at is null and tickets.binned_at is null;
