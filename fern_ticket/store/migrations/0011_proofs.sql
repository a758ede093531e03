-- Links to see proofs are counted, dated and ended like the others.
alter table links drop constraint links_kind_check;
alter table links add constraint links_kind_check check (kind in ('proofs', 'take', 'bring'));
