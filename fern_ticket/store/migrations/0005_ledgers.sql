-- A step is kept once for a photo, by its content; a revision is the list of its steps, or what it changes of its parent's.
create table steps (
    photo  uuid not null references photos on delete cascade,
    digest bytea not null,
    body   jsonb not null,
    primary key (photo, digest)
);

alter table revisions
    add column step_count integer not null default 0,
    -- The whole list; left out where `splices` tell what changes.
    add column digests    bytea[],
    -- [{at, gone, new: [digest as hex]}]: from the end of the parent's list to its beginning.
    add column splices    jsonb,
    -- How many splices lie between this revision and one with its whole list.
    add column depth      integer not null default 0;

insert into steps (photo, digest, body)
select distinct on (1, 2) photo, substring(sha256(convert_to(step::text, 'UTF8')) from 1 for 16), step
from revisions, jsonb_array_elements(steps) step;

update revisions
set step_count = jsonb_array_length(steps),
    digests = array(
        select substring(sha256(convert_to(step::text, 'UTF8')) from 1 for 16)
        from jsonb_array_elements(steps) with ordinality as listed (step, place) order by place
    );

-- Words and ticks are counted, so that a check that began before they changed is not kept after.
alter table photos add column said integer not null default 0;

create or replace function stage_of(photo_id uuid) returns text language sql stable as $$
    select case
        when latest.state in ('waiting', 'rendering', 'delivering', 'delivered') then 'handed_over'
        when latest.state in ('accepted', 'returned') and latest.revision = photos.head then latest.state
        when exists (select from checks where checks.photo = photos.id and checks.revision = photos.head and checks.holds)
            then 'checked'
        when latest.revision is not null or revisions.step_count > 0 then 'bench'
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

create or replace function keep_stage() returns trigger language plpgsql as $$
declare changed uuid;
begin
    if tg_table_name = 'photos' then changed := new.id;
    elsif tg_op = 'DELETE' then changed := old.photo;
    else changed := new.photo;
    end if;
    update photos set stage = stage_of(changed) where id = changed and stage is distinct from stage_of(changed);
    return null;
end
$$;
drop trigger checks_stage on checks;
create trigger checks_stage after insert or update or delete on checks for each row execute function keep_stage();
drop trigger hand_overs_stage on hand_overs;
create trigger hand_overs_stage after insert or delete or update of state on hand_overs
    for each row execute function keep_stage();
update photos set stage = stage_of(id) where stage is distinct from stage_of(id);

alter table revisions drop column steps;

-- A photo with what stands around it, as every page shows it.
create view photo_rows as
select photos.id, photos.ticket, photos.position, photos.title, photos.note, photos.blob, photos.state,
       photos.problem, photos.remarks, photos.width, photos.height, photos.head, photos.stage, photos.facts,
       photos.said as said_count,
       coalesce(revisions.step_count, 0) as steps, latest.state as hand_over, latest.reasons,
       holder.name as holder,
       (select count(*) from notes where notes.photo = photos.id and done_at is null)::integer as open_notes
from photos
left join leases on leases.photo = photos.id and leases.until >= now()
left join users holder on holder.id = leases.user_id
left join revisions on revisions.id = photos.head
left join lateral (
    select state, reasons from hand_overs where hand_overs.photo = photos.id order by asked_at desc limit 1
) latest on true;
