-- The journal knows its tables as data, made files know their timeline, a use has an identity of its own, and checks
-- hold shapes: what the words of a decision mean is known in one place, outside.

-- The tables that people change, parents before what depends on them. A new one joins undo by
--     select journal_table('name', place);
-- and a new column of one, whose usual value rows from before shall have when they are brought back, by
--     select journal_column('table', 'column', '"usual"');
create table journaled (
    table_name text primary key,
    place integer not null unique
);
insert into journaled (place, table_name) values
    (10, 'show'), (20, 'timeline'), (30, 'delivery'), (40, 'recipe'), (50, 'tag'), (60, 'clip'), (70, 'treatment'),
    (80, 'clip_use'), (90, 'clip_tag'), (100, 'word'), (110, 'log_report');

create function journal_table(the_table text, its_place integer) returns void
language plpgsql as $$
begin
    insert into journaled (table_name, place) values (the_table, its_place);
    execute format('create trigger next_revision before update on %I for each row execute function next_revision()', the_table);
    execute format('create trigger journal_insert after insert on %I referencing new table as new_rows
                    for each statement execute function journal_insert()', the_table);
    execute format('create trigger journal_update after update on %I referencing old table as old_rows new table as new_rows
                    for each statement execute function journal_update()', the_table);
    execute format('create trigger journal_delete after delete on %I referencing old table as old_rows
                    for each statement execute function journal_delete()', the_table);
    execute format('create trigger tell after insert or update or delete on %I for each statement execute function tell()', the_table);
end $$;

create function journal_column(the_table text, the_column text, usual jsonb) returns void
language sql as $$
    update change_row set before = jsonb_build_object(the_column, usual) || before,
                          after = jsonb_build_object(the_column, usual) || after
    where table_name = the_table
$$;

-- As before, for every table in journaled.
create or replace function replay(the_change bigint, backwards boolean) returns void
language plpgsql as $$
declare
    parents_first constant text[] := (
        select coalesce(array_agg(table_name order by place), '{}') from journaled
        where table_name in (select c.table_name from change_row c where c.change_id = the_change));
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

    for i in reverse coalesce(array_length(parents_first, 1), 0) .. 1 loop
        name := parents_first[i];
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

-- A made file belongs to a timeline, whatever that is called by now.
alter table render add column timeline_id bigint references timeline on delete set null;
update render r set timeline_id = t.id from timeline t
where t.show_id = r.show_id and t.name = r.plan->>'timeline_name';
create index render_of_timeline on render (timeline_id, clip_id);

-- A use of a clip is known by its id. For now each clip has one on each timeline at most; nothing here insists on it.
alter table clip_use drop constraint clip_use_clip_id_timeline_id_key;
create index clip_use_of_clip on clip_use (clip_id);
create index clip_use_of_timeline on clip_use (timeline_id);

-- Shapes: a text for each part. Which parts there are and what can be said of them, core/decisions knows.
create or replace function is_decisions(decided jsonb) returns boolean
language sql immutable as $$
    select jsonb_typeof(decided) = 'object' and not exists (
        select from jsonb_each(decided) as part (name, said)
        where name !~ '^[a-z][a-z_]{0,39}$' or jsonb_typeof(said) <> 'string' or length(said #>> '{}') not between 1 and 2000
    )
$$;
alter table show drop constraint show_receiving_check,
    add constraint show_receiving_check check (receiving ~ '^[a-z][a-z-]{0,39}$');
alter table word drop constraint word_question_check,
    add constraint word_question_check check (question ~ '^[a-z][a-z_]{0,39}$');
