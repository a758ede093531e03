-- The board asks of each ticket for the stages of those of its photos that are not in the bin.

drop index photos_by_stage;
create index photos_by_stage on photos (ticket, stage) where binned_at is null;
