-- Time on the bench, by photo, person and day; and what was corrected by hand, with a reason.

create table hours (
    photo   uuid not null references photos on delete cascade,
    user_id uuid not null references users on delete cascade,
    day     date not null,
    seconds double precision not null,
    primary key (photo, user_id, day)
);

create table hour_corrections (
    id      uuid primary key default gen_random_uuid(),
    ticket  uuid not null references tickets on delete cascade,
    user_id uuid not null references users on delete cascade,
    day     date not null,
    minutes integer not null check (minutes <> 0),
    reason  text not null check (length(reason) between 1 and 500),
    made_by text not null,
    made_at timestamptz not null default now()
);
create index hour_corrections_by_ticket on hour_corrections (ticket);

alter table leases add column renewed_at timestamptz not null default now();

-- Watched folders: any store, for a client or a ticket; what was seen there, so that nothing comes twice.
create table watches (
    id        uuid primary key default gen_random_uuid(),
    client    uuid references clients on delete cascade,
    ticket    uuid references tickets on delete cascade,
    settings  jsonb not null,
    secret    bytea,
    looked_at timestamptz,
    trouble   text not null default '',
    made_at   timestamptz not null default now(),
    check ((client is null) <> (ticket is null))
);
create table watched_files (
    watch   uuid not null references watches on delete cascade,
    path    text not null,
    -- Size and date as the store tells them: a file that has other ones is another file.
    mark    text not null,
    state   text not null check (state in ('growing', 'taken', 'refused')),
    says    text not null default '',
    seen_at timestamptz not null default now(),
    primary key (watch, path)
);
