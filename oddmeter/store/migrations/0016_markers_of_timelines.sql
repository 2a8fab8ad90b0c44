-- A marker of a timeline: a frame that somebody wants to find again, or that a list named, in whatever colour it said.
create table timeline_marker (
    id bigint generated always as identity primary key,
    timeline_id bigint not null references timeline on delete cascade,
    frame bigint not null check (frame >= 0),
    name text not null default '' check (length(name) <= 400),
    colour text not null default '' check (length(colour) <= 60),
    revision integer not null default 1
);
create index marker_of_timeline on timeline_marker (timeline_id, frame);
select journal_table('timeline_marker', 150);
