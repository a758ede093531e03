-- name: ledger_head
-- Of the newest revision, or of the one that is named.
select revisions.id as revision, revisions.summary, revisions.parent is not null as can_undo,
       photos.tip <> photos.head and revisions.id = photos.head as can_redo
from photos join revisions on revisions.photo = photos.id
where photos.id = %(photo)s and revisions.id = coalesce(%(revision)s::bigint, photos.head);

-- name: revision_chain
-- From the nearest earlier revision with its whole list to the one asked for.
with recursive way as (
    select id, parent, digests, splices, depth from revisions where id = %(revision)s and photo = %(photo)s
    union all
    select revisions.id, revisions.parent, revisions.digests, revisions.splices, revisions.depth
    from way join revisions on revisions.id = way.parent
    where way.digests is null
)
select id, digests, splices, depth from way order by depth;

-- name: step_bodies
select digest, body from steps where photo = %(photo)s and digest = any(%(digests)s);

-- name: keep_steps
insert into steps (photo, digest, body)
select %(photo)s, digest, body
from unnest(%(digests)s::bytea[], %(bodies)s::jsonb[]) as given (digest, body)
on conflict do nothing;

-- name: add_revision
-- Nothing is written when somebody else moved the head in the meantime.
with photo as (
    select id, head from photos where id = %(photo)s and head = %(expected)s for update
), made as (
    insert into revisions (photo, parent, summary, step_count, digests, splices, depth, made_by)
    select id, head, %(summary)s, %(step_count)s, %(whole)s, %(splices)s, %(depth)s, %(user)s from photo
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
