-- Which cells of a photo were looked at at 100 %, counted row by row.
create table walkovers (
    photo uuid primary key references photos on delete cascade,
    cells smallint[] not null default '{}'
);
