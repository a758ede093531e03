-- name: take_lease
-- Taken when it is free, ended, or this page's own; else nothing comes back.
insert into leases (photo, page, user_id, until)
values (%(photo)s, %(page)s, %(user)s, now() + make_interval(secs => %(seconds)s))
on conflict (photo) do update
set page = excluded.page, user_id = excluded.user_id, until = excluded.until, renewed_at = now(),
    since = case when leases.user_id = excluded.user_id and leases.until >= now() then leases.since else now() end
where leases.user_id = excluded.user_id or leases.until < now()
returning photo as id;

-- name: lease_of
select leases.user_id, users.name, leases.since, leases.until
from leases join users on users.id = leases.user_id
where leases.photo = %(photo)s and leases.until >= now();

-- name: end_lease
delete from leases where photo = %(photo)s and page = %(page)s and user_id = %(user)s;
