-- name: studio
select settings from studio;

-- name: set_studio
update studio set settings = %(settings)s;

-- name: nobody_is_here
-- Nobody who leads, that is: editors alone could not go on.
select not exists (select from users where role = 'lead' and inactive_at is null) as nobody;

-- name: first_person
-- The one who begins, and leads; nothing comes back where somebody was quicker.
with door as (
    select settings from studio for update
)
insert into users (sign_in, name, role, password_hash)
select lower(%(sign_in)s), %(name)s, 'lead', %(password_hash)s
from door where not exists (select from users where role = 'lead' and inactive_at is null)
on conflict (sign_in) do nothing
returning id;

-- name: answers
select 1;

-- name: load
select
    (select count(*) from leases where until >= now()) as leases,
    count(*) filter (where status = 'todo') as waiting,
    count(*) filter (where status = 'doing') as doing,
    count(*) filter (where status = 'failed') as failed
from procrastinate_jobs;
