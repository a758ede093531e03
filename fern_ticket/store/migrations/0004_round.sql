-- The round around the bench: stages, notes, what happened, leases, checks, facts, the library of slips, desks that take time.

alter table users add column role text not null default 'editor' check (role in ('editor', 'lead'));

-- Slips by name and version. A ticket keeps its own copy: the slip it was agreed on.
create table slips (
    id      uuid primary key default gen_random_uuid(),
    name    text not null check (length(name) between 1 and 80),
    version integer not null,
    body    jsonb not null,
    made_by uuid references users,
    made_at timestamptz not null default now(),
    unique (name, version)
);
alter table tickets add column slip_version integer not null default 1;

alter table photos add column stage text not null default 'waiting'
    check (stage in ('waiting', 'bench', 'checked', 'handed_over', 'returned', 'accepted'));
-- What is said of a photo when it is delivered: caption, keywords, creator, credit, copyright. Its title stands above.
alter table photos add column facts jsonb not null default '{}';

-- A check of one revision against its ticket's slip.
create table checks (
    photo    uuid not null references photos on delete cascade,
    revision bigint not null references revisions,
    holds    boolean not null,
    verdicts jsonb not null,
    made_at  timestamptz not null default now(),
    primary key (photo, revision)
);

-- By-eye lines that a person ticked for a revision.
create table ticks (
    photo     uuid not null references photos on delete cascade,
    revision  bigint not null references revisions,
    words     text not null,
    ticked_by uuid references users,
    made_at   timestamptz not null default now(),
    primary key (photo, revision, words)
);

-- Words pinned at a place: x and y as shares of the photo as it came; left out, they are about the whole photo.
create table notes (
    id      uuid primary key default gen_random_uuid(),
    photo   uuid not null references photos on delete cascade,
    x       double precision check (x between 0 and 1),
    y       double precision check (y between 0 and 1),
    text    text not null check (length(text) between 1 and 2000),
    author  text not null,
    side    text not null check (side in ('client', 'editor', 'desk')),
    done_at timestamptz,
    made_at timestamptz not null default now(),
    check ((x is null) = (y is null))
);
create index notes_by_photo on notes (photo, made_at);

create table events (
    id      bigint generated always as identity primary key,
    ticket  uuid not null references tickets on delete cascade,
    photo   uuid references photos on delete cascade,
    what    text not null,
    who     text not null,
    made_at timestamptz not null default now()
);
create index events_by_ticket on events (ticket, id desc);

-- Who has a photo on the bench. A page renews its lease while it is open.
create table leases (
    photo   uuid primary key references photos on delete cascade,
    page    uuid not null,
    user_id uuid not null references users on delete cascade,
    since   timestamptz not null default now(),
    until   timestamptz not null
);

alter table hand_overs drop constraint hand_overs_state_check;
alter table hand_overs add constraint hand_overs_state_check check (state in
    ('waiting', 'rendering', 'delivering', 'delivered', 'accepted', 'returned', 'failed', 'cancelled', 'superseded'));
-- Further sizes: [{name, file_name, blob, bytes}].
alter table hand_overs add column renditions jsonb not null default '[]';
alter table hand_overs add column wanted text[] not null default '{}';
alter table hand_overs add column verdicts jsonb not null default '[]';
alter table hand_overs add column attempts integer not null default 0;
alter table hand_overs add column ask_again_at timestamptz;
drop index hand_overs_unfinished;
create index hand_overs_unfinished on hand_overs (state)
    where state in ('waiting', 'rendering', 'delivering', 'delivered');

create function stage_of(photo_id uuid) returns text language sql stable as $$
    select case
        when latest.state in ('waiting', 'rendering', 'delivering', 'delivered') then 'handed_over'
        when latest.state in ('accepted', 'returned') and latest.revision = photos.head then latest.state
        when exists (select from checks where checks.photo = photos.id and checks.revision = photos.head and checks.holds)
            then 'checked'
        when latest.revision is not null or jsonb_array_length(revisions.steps) > 0 then 'bench'
        else 'waiting'
    end
    from photos
    left join revisions on revisions.id = photos.head
    left join lateral (
        select state, revision from hand_overs
        where hand_overs.photo = photos.id and state not in ('cancelled', 'superseded')
        order by asked_at desc limit 1
    ) latest on true
    where photos.id = photo_id
$$;

-- A photo's stage follows from its ledger, its checks and its hand-overs, whoever changes these.
create function keep_stage() returns trigger language plpgsql as $$
declare changed uuid;
begin
    if tg_table_name = 'photos' then changed := new.id; else changed := new.photo; end if;
    update photos set stage = stage_of(changed) where id = changed and stage is distinct from stage_of(changed);
    return null;
end
$$;
create trigger photos_stage after update of head on photos for each row execute function keep_stage();
create trigger hand_overs_stage after insert or update of state on hand_overs for each row execute function keep_stage();
create trigger checks_stage after insert or update on checks for each row execute function keep_stage();
update photos set stage = stage_of(id);

-- The board: by due time, found by words.
create extension if not exists pg_trgm;
alter table tickets add column words text generated always as (lower(number || ' ' || title || ' ' || client)) stored;
create index tickets_by_words on tickets using gin (words gin_trgm_ops);
create index tickets_by_kind on tickets (kind, due_at);
create index photos_by_stage on photos (ticket, stage);

-- A client's approval of one revision.
create table approvals (
    photo    uuid not null references photos on delete cascade,
    revision bigint not null references revisions,
    made_at  timestamptz not null default now(),
    primary key (photo, revision)
);

-- When and how a photo was taken, as far as its file tells: {at, exposure, model, width, height}.
alter table photos add column taken jsonb;
