create table users (
    id            uuid primary key default gen_random_uuid(),
    sign_in       text not null unique check (sign_in = lower(sign_in)),
    name          text not null,
    password_hash text not null,
    made_at       timestamptz not null default now()
);

create table sessions (
    token_hash bytea primary key,
    user_id    uuid not null references users on delete cascade,
    ends_at    timestamptz not null
);

create table tickets (
    id      uuid primary key default gen_random_uuid(),
    number  text not null unique,
    title   text not null,
    client  text not null,
    kind    text not null check (kind in ('property', 'food', 'product', 'animal', 'artwork', 'panorama')),
    brief   text not null default '',
    desk    text not null,
    slip    jsonb not null,
    due_at  timestamptz not null,
    made_at timestamptz not null default now()
);
create index tickets_by_due on tickets (due_at, number);

create table photos (
    id       uuid primary key default gen_random_uuid(),
    ticket   uuid not null references tickets on delete cascade,
    position integer not null,
    title    text not null,
    note     text not null default '',
    blob     text not null,
    state    text not null default 'preparing' check (state in ('preparing', 'ready', 'refused')),
    problem  text,
    remarks  text[] not null default '{}',
    width    integer,
    height   integer,
    head     bigint,
    tip      bigint,
    made_at  timestamptz not null default now(),
    unique (ticket, position),
    unique (ticket, blob)
);

-- Every state of a photo's ledger. Undo moves photos.head to a parent; photos.tip remembers the way back.
create table revisions (
    id      bigint generated always as identity primary key,
    photo   uuid not null references photos on delete cascade,
    parent  bigint references revisions,
    summary text not null,
    steps   jsonb not null,
    made_by uuid references users,
    made_at timestamptz not null default now()
);
create index revisions_by_photo on revisions (photo, parent);
alter table photos add foreign key (head) references revisions deferrable initially deferred;
alter table photos add foreign key (tip) references revisions deferrable initially deferred;

create table hand_overs (
    id         uuid primary key default gen_random_uuid(),
    photo      uuid not null references photos on delete cascade,
    revision   bigint not null references revisions,
    file_name  text not null,
    state      text not null default 'waiting'
        check (state in ('waiting', 'rendering', 'delivering', 'accepted', 'returned', 'failed', 'cancelled')),
    progress   real not null default 0,
    blob       text,
    bytes      bigint,
    reasons    text[] not null default '{}',
    receipt    text,
    asked_by   uuid references users,
    asked_at   timestamptz not null default now(),
    ended_at   timestamptz
);
create index hand_overs_by_photo on hand_overs (photo, asked_at desc);
create index hand_overs_unfinished on hand_overs (state) where state in ('waiting', 'rendering', 'delivering');
