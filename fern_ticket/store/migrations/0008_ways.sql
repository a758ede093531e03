-- Ways out: what a finished photo goes to. A ticket may have several; each is given the file, and answers for itself.

create table ways (
    id       uuid primary key default gen_random_uuid(),
    name     text not null check (length(name) between 1 and 80),
    kind     text not null check (kind in ('desk', 'folder', 'inbox', 'link')),
    settings jsonb not null default '{}',
    -- Encrypted; never read by anything but what gives files away.
    secret   bytea,
    -- Who says that a delivery is accepted: the receiver by itself, its arrival alone, or a person here.
    answers  text not null check (answers in ('itself', 'arrival', 'person')),
    made_at  timestamptz not null default now(),
    gone_at  timestamptz
);
create unique index ways_by_name on ways (lower(name)) where gone_at is null;

create table ticket_ways (
    ticket   uuid not null references tickets on delete cascade,
    way      uuid not null references ways,
    position integer not null,
    primary key (ticket, way)
);

insert into ways (name, kind, settings, answers)
select distinct desk, 'desk', jsonb_build_object('kind', 'desk', 'desk', desk), 'itself' from tickets;
insert into ticket_ways (ticket, way, position) select tickets.id, ways.id, 1 from tickets join ways on ways.name = tickets.desk;
alter table tickets drop column desk;
alter table clients add column way uuid references ways;

-- One file on one way. A hand-over is accepted when every way has accepted it.
create table deliveries (
    hand_over    uuid not null references hand_overs on delete cascade,
    way          uuid not null references ways,
    position     integer not null,
    state        text not null default 'waiting'
        check (state in ('waiting', 'delivered', 'accepted', 'returned', 'failed')),
    receipt      text,
    reasons      text[] not null default '{}',
    -- Why it was not taken yet, in words, and how often it was tried.
    trouble      text not null default '',
    attempts     integer not null default 0,
    ask_again_at timestamptz,
    primary key (hand_over, way)
);
insert into deliveries (hand_over, way, position, state, receipt, reasons)
select hand_overs.id, ticket_ways.way, 1,
       case when hand_overs.state in ('delivered', 'accepted', 'returned', 'failed') then hand_overs.state
            when hand_overs.state = 'superseded' then 'returned' else 'waiting' end,
       hand_overs.receipt, hand_overs.reasons
from hand_overs join photos on photos.id = hand_overs.photo join ticket_ways on ticket_ways.ticket = photos.ticket
where hand_overs.state <> 'cancelled';
alter table hand_overs drop column attempts, drop column ask_again_at;

-- Links that are given to people outside: to take what was made, or to bring photos.
create table links (
    id       uuid primary key default gen_random_uuid(),
    ticket   uuid not null references tickets on delete cascade,
    kind     text not null check (kind in ('take', 'bring')),
    ends_at  timestamptz not null,
    used     integer not null default 0,
    -- For bringing: how much may come, and has.
    room     bigint not null default 0,
    come     bigint not null default 0,
    made_by  text not null,
    made_at  timestamptz not null default now(),
    ended_at timestamptz
);
create index links_by_ticket on links (ticket, made_at desc);
