-- Failures to sign in of late, by name and by address, which all processes know. Lost with a crash: what is slowed is
-- guessing, which then begins anew.
create unlogged table attempts (
    kind   text not null check (kind in ('name', 'address')),
    value  text not null,
    count  integer not null,
    failed timestamptz not null,
    primary key (kind, value)
);
create index attempts_by_age on attempts (failed);
