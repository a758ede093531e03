-- name: recipes
select id, name, steps from recipes order by lower(name);

-- name: recipe
select id, name, steps from recipes where id = %(recipe)s;

-- name: keep_recipe
-- A recipe kept again under its name replaces the older one.
insert into recipes (name, steps, made_by) values (%(name)s, %(steps)s, %(user)s)
on conflict (lower(name)) do update set name = excluded.name, steps = excluded.steps, made_by = excluded.made_by, made_at = now()
returning id;

-- name: forget_recipe
delete from recipes where id = %(recipe)s returning id;
