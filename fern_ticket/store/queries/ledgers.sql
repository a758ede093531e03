-- name: ledger_at_head
select revisions.id as revision, revisions.summary, revisions.steps,
       revisions.parent is not null as can_undo, photos.tip <> photos.head as can_redo
from photos join revisions on revisions.id = photos.head
where photos.id = %(photo)s;

-- name: ledger_at
select id as revision, summary, steps, parent is not null as can_undo, false as can_redo
from revisions where photo = %(photo)s and id = %(revision)s;

-- name: add_revision
-- Nothing is written when somebody else moved the head in the meantime.
with photo as (
    select id, head from photos where id = %(photo)s and head = %(expected)s for update
), made as (
    insert into revisions (photo, parent, summary, steps, made_by)
    select id, head, %(summary)s, %(steps)s, %(user)s from photo
    returning id
)
update photos set head = made.id, tip = made.id from made where photos.id = %(photo)s returning photos.head;

-- name: undo
update photos set head = revisions.parent
from revisions
where photos.id = %(photo)s and photos.head = %(expected)s and revisions.id = photos.head
      and revisions.parent is not null
returning photos.head;

-- name: redo
-- From the tip back along parents to the revision just after the head.
with recursive way as (
    select revisions.id, revisions.parent from photos join revisions on revisions.id = photos.tip
    where photos.id = %(photo)s and photos.head = %(expected)s and photos.tip <> photos.head
    union all
    select revisions.id, revisions.parent from way join revisions on revisions.id = way.parent
    where way.parent <> %(expected)s
)
update photos set head = way.id
from way
where photos.id = %(photo)s and way.parent = %(expected)s
returning photos.head;
