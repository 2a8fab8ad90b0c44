-- Evidence: more of what a probe finds, what the pictures show, what logs say, and what people settle.

alter table clip_facts
    add column stated_rate fraction,
    add column stream_rate fraction,
    add column capture_rate fraction,
    add column capture_key text not null default '',
    add column start_seconds text not null default '0/1' check (start_seconds ~ '^-?[0-9]+/[1-9][0-9]*$'),
    add column duplicates bigint not null default 0,
    add column gaps bigint not null default 0,
    add column intervals jsonb not null default '[]',
    add column attempts integer not null default 0;

-- A person's word on one question about one clip. It replaces clip.shot_rate.
create table word (
    id bigint generated always as identity primary key,
    clip_id bigint not null references clip on delete cascade,
    question text not null
        check (question in ('shot_rate', 'file_rate', 'scan', 'field_order', 'pulldown', 'repeats', 'gauge')),
    value text not null check (length(value) between 1 and 60),
    reason text not null default '' check (length(reason) <= 500),
    person text not null,
    revision integer not null default 1,
    check (question not in ('shot_rate', 'file_rate') or (is_fraction(value) and fraction_value(value) <= 1000000)),
    unique (clip_id, question)
);

insert into word (clip_id, question, value, person)
select id, 'shot_rate', shot_rate, 'Somebody' from clip where shot_rate is not null;
update change_row set before = before - 'shot_rate', after = after - 'shot_rate' where table_name = 'clip';
alter table clip drop column shot_rate;

-- A proxy is a clip that stands for another of the same delivery.
alter table clip add column proxy_of bigint references clip on delete set null;
create index clip_proxy on clip (proxy_of) where proxy_of is not null;
update change_row set before = before || '{"proxy_of": null}', after = after || '{"proxy_of": null}'
where table_name = 'clip';

-- What the pictures of a clip show; nothing here is a person's word. Looked at a few stretches first, whole where
-- that is wanted.
create table picture (
    clip_id bigint primary key references clip on delete cascade,
    state text not null default 'waiting' check (state in ('waiting', 'looking', 'done', 'stopped')),
    whole boolean not null default false,
    stop_requested boolean not null default false,
    attempts integer not null default 0,
    done_frames bigint not null default 0,
    total_frames bigint not null default 0,
    report jsonb,
    fault text,
    begun_at timestamptz
);

insert into picture (clip_id) select id from clip;

-- A camera or scan report as it was read: its headings and rows, and which column means what.
create table log_report (
    id bigint generated always as identity primary key,
    show_id bigint not null references show on delete cascade,
    name text not null check (length(name) between 1 and 200),
    title text not null check (length(title) between 1 and 60),
    content jsonb not null,
    mapping jsonb not null,
    removed boolean not null default true,
    revision integer not null default 1,
    made_at timestamptz not null default now()
);
create index log_report_of_show on log_report (show_id);

-- The mapping last used for a row of headings, so that it is right the next time.
create table log_mapping (
    headings text primary key,
    mapping jsonb not null
);

-- Verdicts that later evidence changed.
create table verdict_change (
    id bigint generated always as identity primary key,
    show_id bigint not null references show on delete cascade,
    clip_id bigint not null references clip on delete cascade,
    question text not null,
    before text,
    after text,
    because text not null,
    made_at timestamptz not null default now()
);
create index verdict_change_of_show on verdict_change (show_id, id);

-- Settling something changes the clip: whoever has seen the clip before is told.
create function touch_clip() returns trigger
language plpgsql as $$
begin
    update clip set path = path where id in (select clip_id from touched);
    return null;
end $$;
create trigger touch_clip_insert after insert on word referencing new table as touched
    for each statement execute function touch_clip();
create trigger touch_clip_update after update on word referencing new table as touched
    for each statement execute function touch_clip();
create trigger touch_clip_delete after delete on word referencing old table as touched
    for each statement execute function touch_clip();

do $$
declare
    name text;
begin
    foreach name in array array['word', 'log_report'] loop
        execute format('create trigger next_revision before update on %I for each row execute function next_revision()', name);
        execute format('create trigger journal_insert after insert on %I referencing new table as new_rows
                        for each statement execute function journal_insert()', name);
        execute format('create trigger journal_update after update on %I referencing old table as old_rows new table as new_rows
                        for each statement execute function journal_update()', name);
        execute format('create trigger journal_delete after delete on %I referencing old table as old_rows
                        for each statement execute function journal_delete()', name);
    end loop;
    foreach name in array array['word', 'picture', 'log_report', 'verdict_change'] loop
        execute format('create trigger tell after insert or update or delete on %I for each statement execute function tell()', name);
    end loop;
end $$;

-- As before, with the new tables that people change.
create or replace function replay(the_change bigint, backwards boolean) returns void
language plpgsql as $$
declare
    parents_first constant text[] := array['show', 'timeline', 'delivery', 'clip', 'treatment', 'word', 'log_report'];
    children_first constant text[] := array['log_report', 'word', 'treatment', 'clip', 'delivery', 'timeline', 'show'];
    name text;
    columns text;
    stale bigint;
begin
    foreach name in array parents_first loop
        execute format(
            'select count(*) from change_row c left join %I t on t.id = c.row_id
             where c.change_id = $1 and c.table_name = $2
               and (to_jsonb(t) - ''revision'') is distinct from ((case when $3 then c.after else c.before end) - ''revision'')',
            name) into stale using the_change, name, backwards;
        if stale > 0 then
            raise exception 'changed since' using errcode = 'OM001';
        end if;
    end loop;

    foreach name in array children_first loop
        execute format(
            'delete from %I t using change_row c
             where c.change_id = $1 and c.table_name = $2 and c.row_id = t.id
               and (case when $3 then c.before else c.after end) is null', name) using the_change, name, backwards;
    end loop;

    foreach name in array parents_first loop
        select string_agg(quote_ident(attname), ', ') into columns
        from pg_attribute
        where attrelid = name::regclass and attnum > 0 and not attisdropped and attname not in ('id', 'revision');
        execute format(
            'update %I t set (%s) = (select %s from jsonb_populate_record(null::%I, case when $3 then c.before else c.after end))
             from change_row c
             where c.change_id = $1 and c.table_name = $2 and c.row_id = t.id',
            name, columns, columns, name) using the_change, name, backwards;
        execute format(
            'insert into %I overriding system value
             select r.* from change_row c, jsonb_populate_record(null::%I, case when $3 then c.before else c.after end) r
             where c.change_id = $1 and c.table_name = $2 and (case when $3 then c.after else c.before end) is null',
            name, name) using the_change, name, backwards;
    end loop;
end $$;
