-- name: add_hours
-- Never more than has passed since the lease was renewed.
with passed as (
    select least(%(busy)s::double precision, extract(epoch from now() - renewed_at)) as seconds
    from leases where photo = %(photo)s and page = %(page)s
)
insert into hours (photo, user_id, day, seconds)
select %(photo)s, %(user)s, current_date, seconds from passed where seconds > 0
on conflict (photo, user_id, day) do update set seconds = hours.seconds + excluded.seconds;

-- name: hours_of_ticket
select users.name as who, hours.day, photos.title as photo, hours.seconds / 60 as minutes, '' as reason,
       null::uuid as correction
from hours join photos on photos.id = hours.photo join users on users.id = hours.user_id
where photos.ticket = %(ticket)s
union all
select users.name, hour_corrections.day, '', minutes, reason || ' (' || made_by || ')', hour_corrections.id
from hour_corrections join users on users.id = hour_corrections.user_id
where hour_corrections.ticket = %(ticket)s
order by 2, 1, 3;

-- name: add_correction
insert into hour_corrections (ticket, user_id, day, minutes, reason, made_by)
values (%(ticket)s, %(person)s, %(day)s, %(minutes)s, %(reason)s, %(who)s);

-- name: remove_correction
delete from hour_corrections where id = %(correction)s and ticket = %(ticket)s returning id;

-- name: hours_between
-- For the invoice: by ticket, person and day.
select tickets.number, tickets.title, tickets.client, users.name as who, summed.day, sum(summed.minutes) as minutes
from (
    select photos.ticket, hours.user_id, hours.day, hours.seconds / 60 as minutes
    from hours join photos on photos.id = hours.photo
    union all
    select ticket, user_id, day, minutes from hour_corrections
) summed
join tickets on tickets.id = summed.ticket join users on users.id = summed.user_id
where summed.day between %(first)s and %(last)s
group by tickets.number, tickets.title, tickets.client, users.name, summed.day
order by summed.day, tickets.number, users.name;
