-- name: user_by_sign_in
select id, sign_in, name, role, likes, password_hash from users
where sign_in = lower(%(sign_in)s) and inactive_at is null;

-- name: user_with_password
select id, sign_in, name, role, likes, password_hash from users where id = %(person)s and inactive_at is null;

-- name: user_by_id
select id, sign_in, name, role, likes from users where id = %(person)s;

-- name: add_user
insert into users (sign_in, name, password_hash, role)
values (lower(%(sign_in)s), %(name)s, %(password_hash)s, %(role)s)
on conflict (sign_in) do update set name = excluded.name
returning id;

-- name: add_session
insert into sessions (token_hash, user_id, ends_at, agent, address)
values (%(token_hash)s, %(user)s, now() + make_interval(days => %(days)s), %(agent)s, %(address)s);

-- name: user_of_session
select users.id, users.sign_in, users.name, users.role, users.likes, sessions.seen_at
from sessions join users on users.id = sessions.user_id
where sessions.token_hash = %(token_hash)s and sessions.ends_at > now() and users.inactive_at is null;

-- name: session_seen
update sessions set seen_at = now() where token_hash = %(token_hash)s;

-- name: end_session
delete from sessions where token_hash = %(token_hash)s or ends_at <= now();

-- name: sessions_of
select id, made_at, seen_at, agent, address, token_hash = %(token_hash)s as this_one
from sessions where user_id = %(person)s and ends_at > now() order by seen_at desc;

-- name: end_one_session
delete from sessions where user_id = %(person)s and id = %(session)s returning id;

-- name: end_other_sessions
delete from sessions where user_id = %(person)s and token_hash <> %(token_hash)s;

-- name: people
-- Everybody, with what each has on the bench.
select users.id, users.sign_in, users.name, users.role, users.inactive_at is not null as inactive,
       (select max(seen_at) from sessions where user_id = users.id) as seen_at,
       coalesce((
           select jsonb_agg(jsonb_build_object('number', tickets.number, 'title', photos.title) order by leases.since)
           from leases join photos on photos.id = leases.photo join tickets on tickets.id = photos.ticket
           where leases.user_id = users.id and leases.until >= now()
       ), '[]') as on_the_bench
from users order by users.inactive_at is not null, lower(users.name), users.id;

-- name: people_active
select id, sign_in, name, role from users where inactive_at is null;

-- name: new_user
insert into users (sign_in, name, role, password_hash)
values (lower(%(sign_in)s), %(name)s, %(role)s, %(password_hash)s)
on conflict (sign_in) do nothing
returning id;

-- name: change_user
-- What is null stays. The last one who leads and is active keeps the lead.
with leads as (
    select id from users where role = 'lead' and inactive_at is null for update
), allowed as (
    select 1 where exists (select from leads where id <> %(person)s)
        or (coalesce(%(role)s, 'lead') = 'lead' and not coalesce(%(inactive)s, false))
        or not exists (select from leads where id = %(person)s)
)
update users
set role = coalesce(%(role)s, role), password_hash = coalesce(%(password_hash)s, password_hash),
    name = coalesce(%(name)s, name),
    inactive_at = case %(inactive)s::boolean when true then coalesce(inactive_at, now()) when false then null else inactive_at end
where id = %(person)s and exists (select from allowed)
returning id;

-- name: set_likes
update users set likes = %(likes)s where id = %(person)s;

-- name: remove_user
-- Only somebody who never did anything: what others rely on keeps its name.
delete from users
where id = %(person)s
  and not exists (select from revisions where made_by = users.id)
  and not exists (select from hand_overs where asked_by = users.id)
  and not exists (select from slips where made_by = users.id)
  and not exists (select from ticks where ticked_by = users.id)
  and not exists (select from events where who = users.name)
returning id;

-- name: end_sessions_of
delete from sessions where user_id = %(person)s;
