-- An event is one use of a clip, or of another timeline, on a track: places and lengths in timeline frames, the place in
-- the source exact. What lies over what is the core's to say; nothing is written without it.
create function is_place(value text) returns boolean
language sql immutable as $$
    select value = '0/1' or is_fraction(ltrim(value, '-'))
$$;

create domain place as text check (is_place(value));

alter table timeline add column start_frame bigint not null default 0 check (start_frame >= 0);
select journal_column('timeline', 'start_frame', '0');

create table event (
    id bigint generated always as identity primary key,
    timeline_id bigint not null references timeline on delete cascade,
    track text not null check (track ~ '^[VA][1-9][0-9]?$'),
    kind text not null check (kind in ('clip', 'timeline', 'black')),
    clip_id bigint references clip on delete set null,
    inner_id bigint references timeline check (inner_id <> timeline_id),
    record_in bigint not null check (record_in >= 0),
    length bigint not null check (length >= 1),
    source_in place not null default '0/1',
    lead place not null default '0/1',
    decisions jsonb not null default '{}' check (jsonb_typeof(decisions) = 'object'),
    transition_kind text check (length(transition_kind) between 1 and 60),
    transition_length bigint check (transition_length between 1 and length),
    group_id bigint,
    flattened boolean not null default false,
    name text not null default '' check (length(name) <= 400),
    listed jsonb,
    revision integer not null default 1,
    check ((transition_kind is null) = (transition_length is null)),
    check (kind = 'timeline' or inner_id is null),
    check (kind = 'clip' or clip_id is null)
);
create index event_of_timeline on event (timeline_id, record_in);
create index event_of_clip on event (clip_id);
create index event_of_inner on event (inner_id);
select journal_table('event', 140);
