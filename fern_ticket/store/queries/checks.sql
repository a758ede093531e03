-- name: keep_check
-- Nothing is kept of a check that began before the photo's words or ticks changed.
insert into checks (photo, revision, holds, verdicts)
select id, %(revision)s, %(holds)s, %(verdicts)s from photos where id = %(photo)s and said = %(said)s
on conflict (photo, revision) do update
set holds = excluded.holds, verdicts = excluded.verdicts, made_at = now();

-- name: check_of_head
select checks.photo, checks.revision, checks.holds, checks.verdicts, checks.made_at
from checks join photos on photos.id = checks.photo and photos.head = checks.revision
where photos.id = %(photo)s;

-- name: checks_of_ticket
select checks.photo, checks.revision, checks.holds, checks.verdicts, checks.made_at
from checks join photos on photos.id = checks.photo and photos.head = checks.revision
where photos.ticket = %(ticket)s order by photos.position;

-- name: ticks
select words from ticks where photo = %(photo)s and revision = %(revision)s;

-- name: tick
insert into ticks (photo, revision, words, ticked_by)
values (%(photo)s, %(revision)s, %(words)s, %(user)s)
on conflict do nothing;

-- name: untick
delete from ticks where photo = %(photo)s and revision = %(revision)s and words = %(words)s;

-- name: said_something
-- A tick was set or taken off.
update photos set said = said + 1 where id = %(photo)s;

-- name: forget_check
delete from checks where photo = %(photo)s and revision = %(revision)s;

-- name: approved
select true from approvals where photo = %(photo)s and revision = %(revision)s;

-- name: approve
insert into approvals (photo, revision) values (%(photo)s, %(revision)s) on conflict do nothing;

-- name: disapprove
delete from approvals where photo = %(photo)s and revision = %(revision)s;
