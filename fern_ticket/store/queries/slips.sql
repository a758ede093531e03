-- name: slips
-- The newest version of each.
select distinct on (lower(name)) id, name, version, body, made_at from slips order by lower(name), version desc;

-- name: slip
select id, name, version, body, made_at from slips where id = %(slip)s;

-- name: keep_slip
-- Another version, unless the newest says the same.
with newest as (
    select version, body from slips where lower(name) = lower(%(name)s) order by version desc limit 1
)
insert into slips (name, version, body, made_by)
select %(name)s, coalesce((select version from newest), 0) + 1, %(body)s, %(user)s
where not exists (select from newest where body = %(body)s)
returning id, name, version, body, made_at;

-- name: slip_versions
-- All versions of the slip that this is one of, the newest first.
select slips.id, slips.name, slips.version, slips.body, slips.made_at
from slips join slips this on this.id = %(slip)s and lower(this.name) = lower(slips.name)
order by slips.version desc;

-- name: remove_slip
delete from slips where lower(name) = lower(%(name)s);
