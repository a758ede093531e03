-- name: cells_looked_at
select coalesce((select cells from walkovers where photo = %(photo)s), '{}');

-- name: look_at_cells
insert into walkovers (photo, cells) values (%(photo)s, %(cells)s)
on conflict (photo) do update
set cells = array(select distinct cell from unnest(walkovers.cells || excluded.cells) as cell order by cell);

-- name: forget_walkover
delete from walkovers where photo = %(photo)s;
