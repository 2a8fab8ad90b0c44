-- Decisions at every level, recipes, tags, notes, and the sheets that were taken.

-- What one level decides: exact text for each part; see the core's Decisions.
create function is_decisions(decided jsonb) returns boolean
language sql immutable as $$
    select jsonb_typeof(decided) = 'object' and not exists (
        select from jsonb_each_text(decided) as part (name, said) where not coalesce(case name
            when 'intent' then said ~ '^(real-time|every-frame|leave|(pace|speed) [1-9][0-9]{0,24}/[1-9][0-9]{0,24}|fit [1-9][0-9]{0,24}/1)$'
            when 'reading' then said ~ '^(file|shot|timeline|[1-9][0-9]{0,24}/[1-9][0-9]{0,24})( \* [1-9][0-9]{0,24}/[1-9][0-9]{0,24})?$'
            when 'fields' then said in ('whole', 'deinterlace', 'split')
            when 'between' then said in ('pick', 'mix', 'flow')
            when 'effort' then said in ('quick', 'normal', 'careful')
            when 'reach' then said ~ '^[1-9][0-9]{0,3}$'
            when 'trust' then said ~ '^[0-9]{1,25}/[1-9][0-9]{0,24}$'
            when 'held' then said ~ '^(off|[1-9][0-9]{0,3} frames|[1-9][0-9]{0,24}/[1-9][0-9]{0,24})$'
            when 'sound' then said in ('off', 'follow', 'pitch')
            when 'reverse' then said in ('yes', 'no')
        end, false)
    )
$$;

alter table show
    add column decisions jsonb not null default '{}' check (is_decisions(decisions)),
    add column receiving text not null default 'exact'
        check (receiving in ('exact', 'whole-percent', 'two-decimals', 'rate-two', 'rate-three'));
alter table delivery add column decisions jsonb not null default '{}' check (is_decisions(decisions));
update change_row set before = before || '{"decisions": {}, "receiving": "exact"}',
                      after = after || '{"decisions": {}, "receiving": "exact"}' where table_name = 'show';
update change_row set before = before || '{"decisions": {}}', after = after || '{"decisions": {}}'
where table_name = 'delivery';

-- Recipes in their order; a rule says which clips a recipe fits (see the core's Rule), none: by hand only.
create table recipe (
    id bigint generated always as identity primary key,
    show_id bigint not null references show on delete cascade,
    name text not null check (length(name) between 1 and 200),
    position integer not null,
    rule jsonb,
    decisions jsonb not null default '{}' check (is_decisions(decisions)),
    revision integer not null default 1,
    unique (show_id, name) deferrable initially deferred
);

-- A clip's own decisions, the recipe that was put on it, and a note. They replace the columns of one decision each.
create function as_decisions(was jsonb) returns jsonb
language sql immutable strict as $$
    select jsonb_strip_nulls(jsonb_build_object(
        'intent', case when was->>'intent' is not null then concat_ws(' ', was->>'intent', was->>'value') end,
        'reading', was->>'read_rate',
        'sound', case was->>'sound' when 'off' then 'off' end))
$$;
alter table treatment
    add column decisions jsonb not null default '{}' check (is_decisions(decisions)),
    add column recipe_id bigint references recipe deferrable initially deferred,
    add column note text not null default '' check (length(note) <= 4000);
update treatment set decisions = as_decisions(to_jsonb(treatment)) where intent is not null or read_rate is not null or sound = 'off';
update change_row set
    before = jsonb_build_object('id', before->'id', 'revision', before->'revision', 'note', '', 'recipe_id', null,
                                'decisions', as_decisions(before)),
    after = jsonb_build_object('id', after->'id', 'revision', after->'revision', 'note', '', 'recipe_id', null,
                               'decisions', as_decisions(after))
where table_name = 'treatment';
update change_row set before = null where table_name = 'treatment' and before->'id' = 'null';
update change_row set after = null where table_name = 'treatment' and after->'id' = 'null';
alter table treatment drop column intent, drop column value, drop column read_rate, drop column sound;
create index treatment_recipe on treatment (recipe_id) where recipe_id is not null;
drop function as_decisions(jsonb);

-- What is decided for one timeline's use of a clip alone.
create table clip_use (
    id bigint generated always as identity primary key,
    clip_id bigint not null references clip on delete cascade,
    timeline_id bigint not null references timeline on delete cascade,
    decisions jsonb not null default '{}' check (is_decisions(decisions)),
    revision integer not null default 1,
    unique (clip_id, timeline_id)
);

create table tag (
    id bigint generated always as identity primary key,
    show_id bigint not null references show on delete cascade,
    name text not null check (length(name) between 1 and 60),
    revision integer not null default 1,
    unique (show_id, name) deferrable initially deferred
);
create table clip_tag (
    id bigint generated always as identity primary key,
    clip_id bigint not null references clip on delete cascade,
    tag_id bigint not null references tag on delete cascade,
    revision integer not null default 1,
    unique (clip_id, tag_id)
);

-- A conform sheet as it was taken, so that the next one can say what changed.
create table sheet (
    id bigint generated always as identity primary key,
    show_id bigint not null references show on delete cascade,
    timeline_id bigint not null references timeline on delete cascade,
    person text not null,
    rows jsonb not null,
    made_at timestamptz not null default now()
);
create index sheet_of_timeline on sheet (timeline_id, id);

update render set plan = jsonb_set(plan, '{sound}', '"follow"') where plan->>'sound' = 'keep';

do $$
declare
    name text;
begin
    foreach name in array array['recipe', 'clip_use', 'tag', 'clip_tag'] loop
        execute format('create trigger next_revision before update on %I for each row execute function next_revision()', name);
        execute format('create trigger journal_insert after insert on %I referencing new table as new_rows
                        for each statement execute function journal_insert()', name);
        execute format('create trigger journal_update after update on %I referencing old table as old_rows new table as new_rows
                        for each statement execute function journal_update()', name);
        execute format('create trigger journal_delete after delete on %I referencing old table as old_rows
                        for each statement execute function journal_delete()', name);
    end loop;
    -- A use or a tag belongs to its clip: whoever has seen the clip before is told.
    foreach name in array array['clip_use', 'clip_tag'] loop
        execute format('create trigger touch_clip_insert after insert on %I referencing new table as touched
                        for each statement execute function touch_clip()', name);
        execute format('create trigger touch_clip_update after update on %I referencing new table as touched
                        for each statement execute function touch_clip()', name);
        execute format('create trigger touch_clip_delete after delete on %I referencing old table as touched
                        for each statement execute function touch_clip()', name);
    end loop;
    foreach name in array array['recipe', 'clip_use', 'tag', 'clip_tag', 'sheet'] loop
        execute format('create trigger tell after insert or update or delete on %I for each statement execute function tell()', name);
    end loop;
end $$;

-- As before, with the new tables that people change.
create or replace function replay(the_change bigint, backwards boolean) returns void
language plpgsql as $$
declare
    parents_first constant text[] := array['show', 'timeline', 'delivery', 'recipe', 'tag', 'clip', 'treatment',
                                           'clip_use', 'clip_tag', 'word', 'log_report'];
    name text;
    columns text;
    stale bigint;
    touched constant text[] := (select coalesce(array_agg(distinct table_name), '{}') from change_row where change_id = the_change);
begin
    foreach name in array parents_first loop
        continue when name <> all (touched);
        execute format(
            'select count(*) from change_row c left join %I t on t.id = c.row_id
             where c.change_id = $1 and c.table_name = $2
               and (to_jsonb(t) - ''revision'') is distinct from ((case when $3 then c.after else c.before end) - ''revision'')',
            name) into stale using the_change, name, backwards;
        if stale > 0 then
            raise exception 'changed since' using errcode = 'OM001';
        end if;
    end loop;

    for i in reverse array_length(parents_first, 1) .. 1 loop
        name := parents_first[i];
        continue when name <> all (touched);
        execute format(
            'delete from %I t using change_row c
             where c.change_id = $1 and c.table_name = $2 and c.row_id = t.id
               and (case when $3 then c.before else c.after end) is null', name) using the_change, name, backwards;
    end loop;

    foreach name in array parents_first loop
        continue when name <> all (touched);
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
