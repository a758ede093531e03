-- name: notes_of_photo
select id, x, y, text, author, side, done_at, made_at from notes where photo = %(photo)s order by made_at, id;

-- name: add_note
-- By the clock, not by the transaction: several of one return keep their order.
insert into notes (photo, x, y, text, author, side, made_at)
values (%(photo)s, %(x)s, %(y)s, %(text)s, %(author)s, %(side)s, clock_timestamp())
returning id;

-- name: note_done
update notes set done_at = case when %(done)s then now() end where id = %(note)s and photo = %(photo)s returning id;

-- name: remove_note
delete from notes where id = %(note)s and photo = %(photo)s and side = 'editor' returning id;

-- name: client_notes_of_late
-- How many notes a ticket's client pinned within the last hour.
select count(*) from notes join photos on photos.id = notes.photo
where photos.ticket = %(ticket)s and notes.side = 'client' and notes.made_at > now() - interval '1 hour';
