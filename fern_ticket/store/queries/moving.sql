-- name: archived_ticket
select tickets.number, tickets.title, tickets.kind, tickets.brief, tickets.slip, tickets.slip_version, tickets.due_at,
       tickets.state, tickets.reason, tickets.requests,
       jsonb_build_object('name', clients.name, 'contact', clients.contact, 'words', clients.words,
                          'taste', clients.taste, 'name_pattern', clients.name_pattern) as client,
       '[]'::jsonb as photos
from tickets join clients on clients.id = tickets.client_id
where tickets.id = %(ticket)s;

-- name: archived_photo_ids
select id from photos where ticket = %(ticket)s and state = 'ready' and binned_at is null order by position;

-- name: archived_photo
select title, note, material, blob as original, former, facts, head, tip,
       (select coalesce(jsonb_agg(jsonb_build_object(
            'number', id, 'parent', parent, 'summary', summary, 'step_count', step_count,
            'digests', (select jsonb_agg(encode(digest, 'hex') order by place)
                        from unnest(digests) with ordinality as d (digest, place)),
            'whole', digests is not null,
            'splices', splices, 'depth', depth, 'made_at', made_at) order by id), '[]')
        from revisions where photo = photos.id) as revisions,
       (select coalesce(jsonb_object_agg(encode(digest, 'hex'), body), '{}') from steps where photo = photos.id) as steps,
       (select coalesce(jsonb_agg(jsonb_build_object(
            'x', x, 'y', y, 'text', text, 'author', author, 'side', side, 'done_at', done_at, 'made_at', made_at)
            order by made_at, id), '[]')
        from notes where photo = photos.id) as notes,
       (select coalesce(jsonb_agg(jsonb_build_object('revision', revision, 'words', words) order by revision, words), '[]')
        from ticks where photo = photos.id) as ticks,
       (select coalesce(jsonb_agg(jsonb_build_object(
            'revision', revision, 'file_name', file_name, 'state', state, 'blob', blob, 'bytes', bytes,
            'reasons', to_jsonb(reasons), 'receipt', receipt, 'renditions', renditions, 'wanted', to_jsonb(wanted),
            'verdicts', verdicts, 'asked_at', asked_at, 'ended_at', ended_at) order by asked_at), '[]')
        from hand_overs where photo = photos.id) as hand_overs,
       coalesce((select to_jsonb(cells) from walkovers where photo = photos.id), '[]') as looked_at
from photos where id = %(photo)s;

-- name: bring_photo
insert into photos (ticket, position, title, note, material, blob, former, facts)
values (%(ticket)s, %(position)s, %(title)s, %(note)s, %(material)s, %(blob)s, %(former)s, %(facts)s)
returning id;

-- name: bring_revision
insert into revisions (photo, parent, summary, step_count, digests, splices, depth, made_at)
values (%(photo)s, %(parent)s, %(summary)s, %(step_count)s, %(digests)s, %(splices)s, %(depth)s, %(made_at)s)
returning id;

-- name: bring_head
update photos set head = %(head)s, tip = %(tip)s where id = %(photo)s;

-- name: bring_note
insert into notes (photo, x, y, text, author, side, done_at, made_at)
values (%(photo)s, %(x)s, %(y)s, %(text)s, %(author)s, %(side)s, %(done_at)s, %(made_at)s);

-- name: bring_hand_over
insert into hand_overs (photo, revision, file_name, state, progress, blob, bytes, reasons, receipt, renditions, wanted,
                        verdicts, asked_at, ended_at)
values (%(photo)s, %(revision)s, %(file_name)s, %(state)s, 1, %(blob)s, %(bytes)s, %(reasons)s, %(receipt)s,
        %(renditions)s, %(wanted)s, %(verdicts)s, %(asked_at)s, coalesce(%(ended_at)s, now()));
