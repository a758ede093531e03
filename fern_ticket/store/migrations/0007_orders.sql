-- Clients, and the life of a ticket: made, changed, on hold, closed, in the bin.

create table clients (
    id           uuid primary key default gen_random_uuid(),
    name         text not null check (length(name) between 1 and 120),
    contact      text not null default '',
    -- Name of a slip of the library, and what the client's files are called; empty where nothing is usual.
    slip         text not null default '',
    name_pattern text not null default '',
    -- Words that go with every photo: creator, credit, copyright, contact, terms.
    words        jsonb not null default '{}',
    taste        text not null default '',
    made_at      timestamptz not null default now()
);
create unique index clients_by_name on clients (lower(name));
insert into clients (name) select distinct on (lower(client)) client from tickets order by lower(client);

-- The client's name stands on the ticket too, where the board finds it by words.
alter table tickets
    add column client_id uuid references clients,
    add column state     text not null default 'open' check (state in ('open', 'on_hold', 'closed')),
    add column reason    text not null default '',
    -- What is wanted of single photos that are not here yet: [{photo, request}].
    add column requests  jsonb not null default '[]',
    add column binned_at timestamptz;
update tickets set client_id = clients.id from clients where lower(clients.name) = lower(tickets.client);
alter table tickets alter column client_id set not null;
create index tickets_by_client on tickets (client_id, due_at);
create index tickets_in_bin on tickets (binned_at) where binned_at is not null;

-- Whoever orders for the first time is a client from then on.
create function know_client() returns trigger language plpgsql as $$
begin
    if new.client_id is null then
        insert into clients (name) values (new.client) on conflict do nothing;
        select id, name into new.client_id, new.client from clients where lower(name) = lower(new.client);
    end if;
    return new;
end
$$;
create trigger tickets_client before insert on tickets for each row execute function know_client();

create function follow_client_name() returns trigger language plpgsql as $$
begin
    update tickets set client = new.name where client_id = new.id;
    return null;
end
$$;
create trigger clients_name after update of name on clients
    for each row when (old.name is distinct from new.name) execute function follow_client_name();

-- Every number that was ever given, whatever became of its ticket; and how far each pattern has counted.
create table numbers (number text primary key);
insert into numbers select number from tickets;
create function remember_number() returns trigger language plpgsql as $$
begin
    insert into numbers values (new.number) on conflict do nothing;
    return null;
end
$$;
create trigger tickets_number after insert on tickets for each row execute function remember_number();
create table counters (stem text primary key, last bigint not null);

create table ticket_editors (
    ticket  uuid not null references tickets on delete cascade,
    user_id uuid not null references users on delete cascade,
    primary key (ticket, user_id)
);
create index tickets_of_editor on ticket_editors (user_id);

-- Photos are ordered anew, go to the bin, and get another original; what they had stays named.
alter table photos
    add column binned_at timestamptz,
    add column former    text[] not null default '{}',
    drop constraint photos_ticket_position_key,
    add constraint photos_ticket_position_key unique (ticket, position) deferrable initially deferred;

create or replace view photo_rows as
select photos.id, photos.ticket, photos.position, photos.title, photos.note, photos.blob, photos.state,
       photos.problem, photos.remarks, photos.width, photos.height, photos.head, photos.stage, photos.facts,
       photos.said as said_count,
       coalesce(revisions.step_count, 0) as steps, latest.state as hand_over, latest.reasons,
       holder.name as holder,
       (select count(*) from notes where notes.photo = photos.id and done_at is null)::integer as open_notes,
       clients.words as client_words
from photos
join tickets on tickets.id = photos.ticket
join clients on clients.id = tickets.client_id
left join leases on leases.photo = photos.id and leases.until >= now()
left join users holder on holder.id = leases.user_id
left join revisions on revisions.id = photos.head
left join lateral (
    select state, reasons from hand_overs where hand_overs.photo = photos.id order by asked_at desc limit 1
) latest on true
where photos.binned_at is null and tickets.binned_at is null;
