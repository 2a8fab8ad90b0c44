-- Shows, their timelines, deliveries and clips, and what is decided on each clip.
-- Rates and speeds are exact: text "a/b" in lowest terms, checked by a domain, never a floating column.

create function is_fraction(value text) returns boolean
language sql immutable as $$
    select value ~ '^[1-9][0-9]{0,24}/[1-9][0-9]{0,24}$'
       and gcd(split_part(value, '/', 1)::numeric, split_part(value, '/', 2)::numeric) = 1
$$;

create function fraction_value(value text) returns numeric
language sql immutable as $$
    select split_part(value, '/', 1)::numeric / split_part(value, '/', 2)::numeric
$$;

create domain fraction as text check (is_fraction(value));
create domain rate as text check (is_fraction(value) and fraction_value(value) <= 1000000);

create table show (
    id bigint generated always as identity primary key,
    name text not null check (length(name) between 1 and 200),
    default_timeline_id bigint,
    revision integer not null default 1,
    made_at timestamptz not null default now()
);

create table timeline (
    id bigint generated always as identity primary key,
    show_id bigint not null references show on delete cascade,
    name text not null check (length(name) between 1 and 200),
    rate rate not null,
    width integer not null check (width between 16 and 32768),
    height integer not null check (height between 16 and 32768),
    pixel_aspect fraction not null default '1/1',
    scan text not null default 'progressive' check (scan in ('progressive', 'upper', 'lower')),
    drop_frame boolean not null default false,
    sound_rate integer not null default 48000 check (sound_rate between 8000 and 384000),
    revision integer not null default 1,
    check (not drop_frame or rate in ('30000/1001', '60000/1001')),
    unique (show_id, name) deferrable initially deferred,
    unique (show_id, id)
);

alter table show add constraint default_timeline_of_the_show
    foreign key (id, default_timeline_id) references timeline (show_id, id) deferrable initially deferred;

-- A delivery is put down with its clips as "removed", and brought in by a change that can be undone.
create table delivery (
    id bigint generated always as identity primary key,
    show_id bigint not null references show on delete cascade,
    name text not null check (length(name) between 1 and 200),
    root text not null,
    folder text not null,
    removed boolean not null default true,
    revision integer not null default 1,
    made_at timestamptz not null default now()
);
create index delivery_of_show on delivery (show_id);

create table clip (
    id bigint generated always as identity primary key,
    delivery_id bigint not null references delivery on delete cascade,
    path text not null,
    name text not null,
    shot_rate rate,
    revision integer not null default 1,
    unique (delivery_id, path)
);

-- What the probe found; nothing here is a person's word.
create table clip_facts (
    clip_id bigint primary key references clip on delete cascade,
    state text not null default 'waiting' check (state in ('waiting', 'probing', 'done')),
    frames bigint check (frames >= 0),
    file_rate rate,
    timing text check (timing in ('constant', 'variable')),
    measured_rate fraction,
    width integer,
    height integer,
    pixel_aspect fraction,
    scan text check (scan in ('progressive', 'interlaced', 'unknown')),
    field_order text check (field_order in ('upper', 'lower')),
    timecode text,
    sound_rate integer,
    sound_channels integer,
    sound_seconds text check (sound_seconds ~ '^[0-9]+/[1-9][0-9]*$'),
    codec text,
    fault text,
    remarks text[] not null default '{}'
);

-- One row a clip; its id is the clip's. No intent means: nobody has decided yet.
create table treatment (
    id bigint primary key references clip on delete cascade,
    intent text check (intent in ('real-time', 'every-frame', 'pace', 'speed', 'fit')),
    value fraction,
    read_rate rate,
    sound text not null default 'keep' check (sound in ('off', 'keep')),
    revision integer not null default 1,
    check (coalesce(intent in ('pace', 'speed', 'fit'), false) = (value is not null))
);
