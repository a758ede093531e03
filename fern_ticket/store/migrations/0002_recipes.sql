-- Steps kept under a name, for other photos. They hold nothing that belongs to one photo.
create table recipes (
    id      uuid primary key default gen_random_uuid(),
    name    text not null check (length(name) between 1 and 80),
    steps   jsonb not null,
    made_by uuid references users,
    made_at timestamptz not null default now()
);
create unique index recipes_by_name on recipes (lower(name));
