-- name: ways
select id, name, kind, settings, secret is not null as has_secret, answers,
       (select count(*) from ticket_ways join tickets on tickets.id = ticket_ways.ticket
        where ticket_ways.way = ways.id and tickets.binned_at is null and tickets.state <> 'closed')::integer as tickets
from ways where gone_at is null order by lower(name);

-- name: way_ids
select id from ways where gone_at is null;

-- name: way_by_id
select id, name, kind, settings, secret, answers from ways where id = %(way)s;

-- name: add_way
insert into ways (name, kind, settings, secret, answers)
values (%(name)s, %(kind)s, %(settings)s, %(secret)s, %(answers)s)
on conflict do nothing
returning id;

-- name: change_way
-- A secret that is null stays.
update ways
set name = %(name)s, settings = %(settings)s, answers = %(answers)s, secret = coalesce(%(secret)s, secret)
where id = %(way)s and gone_at is null
  and not exists (select from ways other
                  where other.gone_at is null and lower(other.name) = lower(%(name)s) and other.id <> %(way)s)
returning id;

-- name: remove_way
-- It stays named where something went by it, and loses its secret.
update ways set gone_at = now(), secret = null where id = %(way)s and gone_at is null returning id;

-- name: take_way_off
delete from ticket_ways where way = %(way)s;

-- name: take_way_off_clients
update clients set way = null where way = %(way)s;

-- name: deliveries_under_way
select count(*)::integer from deliveries join hand_overs on hand_overs.id = deliveries.hand_over
where deliveries.way = %(way)s and hand_overs.state in ('waiting', 'rendering', 'delivering', 'delivered');

-- name: ways_of_ticket
select ways.id, ways.name, ways.kind from ticket_ways join ways on ways.id = ticket_ways.way
where ticket_ways.ticket = %(ticket)s order by ticket_ways.position;

-- name: set_ways
with gone as (
    delete from ticket_ways where ticket = %(ticket)s and way <> all(%(ways)s::uuid[])
)
insert into ticket_ways (ticket, way, position)
select %(ticket)s, given.way, given.place
from unnest(%(ways)s::uuid[]) with ordinality as given (way, place)
on conflict (ticket, way) do update set position = excluded.position;

-- name: deliveries_of
select deliveries.way, ways.name, ways.kind, ways.answers, deliveries.state, deliveries.receipt, deliveries.reasons,
       deliveries.trouble, deliveries.attempts, deliveries.ask_again_at
from deliveries join ways on ways.id = deliveries.way
where deliveries.hand_over = %(hand_over)s order by deliveries.position;

-- name: delivery_given
update deliveries set state = %(state)s, receipt = %(receipt)s, attempts = 0, trouble = '', ask_again_at = null
where hand_over = %(hand_over)s and way = %(way)s and state = 'waiting';

-- name: delivery_answered
update deliveries
set state = %(state)s, reasons = %(reasons)s, receipt = coalesce(%(receipt)s, receipt), trouble = '', ask_again_at = null
where hand_over = %(hand_over)s and way = %(way)s and state in ('waiting', 'delivered')
returning way as id;

-- name: delivery_waits
update deliveries
set attempts = attempts + 1, trouble = %(trouble)s, ask_again_at = now() + make_interval(secs => %(seconds)s)
where hand_over = %(hand_over)s and way = %(way)s and state in ('waiting', 'delivered');
