-- A marker is a source frame of a clip that somebody wants to find again, with a name if they gave one.
create table marker (
    id bigint generated always as identity primary key,
    clip_id bigint not null references clip on delete cascade,
    frame bigint not null check (frame >= 0),
    name text not null default '' check (length(name) <= 200),
    revision integer not null default 1,
    unique (clip_id, frame)
);
select journal_table('marker', 130);
