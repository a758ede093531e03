-- name: add_hand_over
-- A delivery that its desk has not answered yet, or returned, is superseded by the next of the same photo.
with free as (
    select 1 where not exists (
        select from hand_overs where photo = %(photo)s and state in ('waiting', 'rendering', 'delivering')
    )
), older as (
    update hand_overs set state = 'superseded', ended_at = coalesce(ended_at, now())
    where photo = %(photo)s and state in ('delivered', 'returned') and exists (select from free)
), made as (
    insert into hand_overs (photo, revision, file_name, wanted, asked_by)
    select %(photo)s, %(revision)s, %(file_name)s, %(wanted)s, %(user)s from free
    returning id, photo
), given as (
    insert into deliveries (hand_over, way, position)
    select made.id, ticket_ways.way, ticket_ways.position
    from made join photos on photos.id = made.photo join ticket_ways on ticket_ways.ticket = photos.ticket
)
select id from made;

-- name: hand_over_by_id
select id, photo, revision, file_name, state, progress, blob, bytes, reasons, receipt, renditions, wanted, verdicts,
       asked_at, ended_at
from hand_overs where id = %(hand_over)s;

-- name: hand_overs_of_photo
select id, photo, revision, file_name, state, progress, blob, bytes, reasons, receipt, renditions, wanted, verdicts,
       asked_at, ended_at
from hand_overs where photo = %(photo)s order by asked_at desc limit 20;

-- name: deliveries_of_ticket
-- The newest made file of each photo.
select distinct on (photos.position)
       hand_overs.id, hand_overs.photo, revision, file_name, hand_overs.state, progress, hand_overs.blob, bytes, reasons,
       receipt, renditions, wanted, verdicts, asked_at, ended_at
from photos join hand_overs on hand_overs.photo = photos.id
where photos.ticket = %(ticket)s and photos.binned_at is null and hand_overs.blob is not null and hand_overs.state not in ('cancelled', 'failed')
order by photos.position, asked_at desc;

-- name: file_names_of_ticket
-- Names that other photos of the ticket are delivered under.
select distinct file_name as words from hand_overs join photos on photos.id = hand_overs.photo
where photos.ticket = %(ticket)s and hand_overs.photo <> %(photo)s
      and hand_overs.state not in ('cancelled', 'failed', 'superseded');

-- name: hand_overs_to_make
-- Those that no job waits for.
select id from hand_overs
where state in ('waiting', 'rendering')
  and not exists (
      select from procrastinate_jobs where status = 'todo' and queueing_lock = 'hand_over:' || hand_overs.id);

-- name: hand_overs_to_deliver
-- Those of which a way has not taken the file, or has not said what it thinks of it and will; and those of which all
-- have answered, but that are not ended yet. Not those that a job waits for.
select hand_overs.id from hand_overs
where hand_overs.state in ('delivering', 'delivered')
  and not exists (
      select from procrastinate_jobs where status = 'todo' and queueing_lock = 'ask_desk:' || hand_overs.id)
  and (exists (
          select from deliveries join ways on ways.id = deliveries.way
          where deliveries.hand_over = hand_overs.id
            and (deliveries.state = 'waiting' or (deliveries.state = 'delivered' and ways.answers = 'itself'))
            and (ask_again_at is null or ask_again_at < now() - interval '5 seconds'))
       or not exists (
          select from deliveries
          where deliveries.hand_over = hand_overs.id and deliveries.state in ('waiting', 'delivered')));

-- name: hand_over_rendering
update hand_overs set state = 'rendering', progress = %(progress)s
where id = %(hand_over)s and state in ('waiting', 'rendering')
returning id;

-- name: hand_over_delivering
update hand_overs
set state = 'delivering', progress = 1, blob = %(blob)s, bytes = %(bytes)s, renditions = %(renditions)s,
    verdicts = %(verdicts)s
where id = %(hand_over)s and state in ('waiting', 'rendering')
returning id;

-- name: hand_over_delivered
update hand_overs set state = 'delivered' where id = %(hand_over)s and state = 'delivering';

-- name: hand_over_ended
update hand_overs set state = %(state)s, reasons = %(reasons)s, receipt = coalesce(%(receipt)s, receipt), ended_at = now()
where id = %(hand_over)s and state in ('waiting', 'rendering', 'delivering', 'delivered')
returning id;

-- name: cancel_hand_over
update hand_overs set state = 'cancelled', ended_at = now()
where id = %(hand_over)s and photo = %(photo)s and state in ('waiting', 'rendering')
returning id;
