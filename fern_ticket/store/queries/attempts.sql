-- name: attempts_of
-- Failures under a name and from an address that are not forgotten yet, and how many seconds ago the last one was.
select kind, count, extract(epoch from clock_timestamp() - failed)::float8 as ago from attempts
where ((kind = 'name' and value = %(name)s) or (kind = 'address' and value = %(address)s))
  and failed > clock_timestamp() - make_interval(secs => %(forgotten)s);

-- name: attempt_failed
-- One more of both; what is old begins anew.
insert into attempts (kind, value, count, failed)
values ('name', %(name)s, 1, clock_timestamp()), ('address', %(address)s, 1, clock_timestamp())
on conflict (kind, value) do update set
    count = case when attempts.failed > clock_timestamp() - make_interval(secs => %(forgotten)s)
                 then attempts.count + 1 else 1 end,
    failed = clock_timestamp();

-- name: attempt_succeeded
delete from attempts where kind = 'name' and value = %(name)s;

-- name: forget_attempts
delete from attempts where failed < clock_timestamp() - make_interval(secs => %(forgotten)s);
