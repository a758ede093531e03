-- name: add_hand_over
insert into hand_overs (photo, revision, file_name, asked_by)
select %(photo)s, %(revision)s, %(file_name)s, %(user)s
where not exists (
    select from hand_overs where photo = %(photo)s and state in ('waiting', 'rendering', 'delivering')
)
returning id;

-- name: hand_over_by_id
select id, photo, revision, file_name, state, progress, blob, bytes, reasons, receipt, asked_at, ended_at
from hand_overs where id = %(hand_over)s;

-- name: hand_overs_of_photo
select id, photo, revision, file_name, state, progress, blob, bytes, reasons, receipt, asked_at, ended_at
from hand_overs where photo = %(photo)s order by asked_at desc limit 20;

-- name: unfinished_hand_overs
select id from hand_overs where state in ('waiting', 'rendering', 'delivering');

-- name: hand_over_rendering
update hand_overs set state = 'rendering', progress = %(progress)s
where id = %(hand_over)s and state in ('waiting', 'rendering', 'delivering')
returning id;

-- name: hand_over_delivering
update hand_overs set state = 'delivering', progress = 1, blob = %(blob)s, bytes = %(bytes)s
where id = %(hand_over)s and state = 'rendering'
returning id;

-- name: hand_over_ended
update hand_overs set state = %(state)s, reasons = %(reasons)s, receipt = %(receipt)s, ended_at = now()
where id = %(hand_over)s and state in ('waiting', 'rendering', 'delivering')
returning id;

-- name: cancel_hand_over
update hand_overs set state = 'cancelled', ended_at = now()
where id = %(hand_over)s and photo = %(photo)s and state in ('waiting', 'rendering')
returning id;
