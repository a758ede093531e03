-- name: user_by_sign_in
select id, sign_in, name, role, password_hash from users where sign_in = lower(%(sign_in)s);

-- name: add_user
insert into users (sign_in, name, password_hash, role)
values (lower(%(sign_in)s), %(name)s, %(password_hash)s, %(role)s)
on conflict (sign_in) do update set name = excluded.name
returning id;

-- name: add_session
insert into sessions (token_hash, user_id, ends_at)
values (%(token_hash)s, %(user)s, now() + make_interval(days => %(days)s));

-- name: user_of_session
select users.id, users.sign_in, users.name, users.role
from sessions join users on users.id = sessions.user_id
where sessions.token_hash = %(token_hash)s and sessions.ends_at > now();

-- name: end_session
delete from sessions where token_hash = %(token_hash)s or ends_at <= now();

-- name: users
select id, sign_in, name, role from users order by lower(name), id;

-- name: new_user
insert into users (sign_in, name, role, password_hash)
values (lower(%(sign_in)s), %(name)s, %(role)s, %(password_hash)s)
on conflict (sign_in) do nothing
returning id;

-- name: change_user
update users set role = coalesce(%(role)s, role), password_hash = coalesce(%(password_hash)s, password_hash)
where id = %(person)s
returning id;

-- name: end_sessions_of
delete from sessions where user_id = %(person)s;
