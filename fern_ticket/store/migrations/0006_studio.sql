-- A studio of its own: what those who lead have set, people who come and go, what happened and from where.

create table studio (
    single   boolean primary key default true check (single),
    settings jsonb not null default '{}'
);
insert into studio default values;

alter table users
    add column inactive_at timestamptz,
    -- How this person likes the bench: {surround, hints}.
    add column likes jsonb not null default '{}';

alter table sessions
    add column id      uuid not null default gen_random_uuid(),
    add column made_at timestamptz not null default now(),
    add column seen_at timestamptz not null default now(),
    add column agent   text not null default '',
    add column address text not null default '';
create unique index sessions_by_id on sessions (id);

-- What happened outlives what it happened to: `about` says in words what that was.
alter table events
    alter column ticket drop not null,
    add column about   text not null default '',
    add column address text,
    drop constraint events_ticket_fkey,
    drop constraint events_photo_fkey,
    add foreign key (ticket) references tickets on delete set null,
    add foreign key (photo) references photos on delete set null;
create index events_by_words on events using gin (lower(what || ' ' || who || ' ' || about) gin_trgm_ops);
