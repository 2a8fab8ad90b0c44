-- Every change by a person: its title, and each row before and after, so that it can be undone and redone.
-- A change is open while the setting oddmeter.change names it; then triggers write down what happens.

create table change (
    id bigint generated always as identity primary key,
    show_id bigint not null references show on delete cascade,
    title text not null,
    person text not null,
    undone boolean not null default false,
    made_at timestamptz not null default now()
);
create index change_of_show on change (show_id, id);

create table change_row (
    change_id bigint not null references change on delete cascade,
    table_name text not null,
    row_id bigint not null,
    before jsonb,
    after jsonb,
    primary key (change_id, table_name, row_id)
);
create index change_row_of_row on change_row (table_name, row_id, change_id);

create function open_change() returns bigint
language sql stable as $$
    select nullif(current_setting('oddmeter.change', true), '')::bigint
$$;

create function journal_insert() returns trigger
language plpgsql as $$
begin
    if open_change() is not null then
        insert into change_row (change_id, table_name, row_id, before, after)
        select open_change(), tg_table_name, n.id, null, to_jsonb(n) from new_rows n
        on conflict (change_id, table_name, row_id) do update set after = excluded.after;
    end if;
    return null;
end $$;

create function journal_update() returns trigger
language plpgsql as $$
begin
    if open_change() is not null then
        insert into change_row (change_id, table_name, row_id, before, after)
        select open_change(), tg_table_name, n.id, to_jsonb(o), to_jsonb(n)
        from new_rows n join old_rows o using (id)
        where to_jsonb(o) - 'revision' <> to_jsonb(n) - 'revision'
        on conflict (change_id, table_name, row_id) do update set after = excluded.after;
    end if;
    return null;
end $$;

create function journal_delete() returns trigger
language plpgsql as $$
begin
    if open_change() is not null then
        insert into change_row (change_id, table_name, row_id, before, after)
        select open_change(), tg_table_name, o.id, to_jsonb(o), null from old_rows o
        on conflict (change_id, table_name, row_id) do update set after = null;
    end if;
    return null;
end $$;

-- The revision rises with every change of a row, so that a second person notices.
create function next_revision() returns trigger
language plpgsql as $$
begin
    new.revision := old.revision + 1;
    return new;
end $$;

do $$
declare
    name text;
begin
    foreach name in array array['show', 'timeline', 'delivery', 'clip', 'treatment'] loop
        execute format('create trigger next_revision before update on %I for each row execute function next_revision()', name);
        execute format('create trigger journal_insert after insert on %I referencing new table as new_rows
                        for each statement execute function journal_insert()', name);
        execute format('create trigger journal_update after update on %I referencing old table as old_rows new table as new_rows
                        for each statement execute function journal_update()', name);
        execute format('create trigger journal_delete after delete on %I referencing old table as old_rows
                        for each statement execute function journal_delete()', name);
    end loop;
end $$;

-- Put every row that a change touched back to how it was before (backwards) or after it: rows that depend on
-- others are deleted first and inserted last. Raises where a row is no longer as the change left it.
create function replay(the_change bigint, backwards boolean) returns void
language plpgsql as $$
declare
    parents_first constant text[] := array['show', 'timeline', 'delivery', 'clip', 'treatment'];
    children_first constant text[] := array['treatment', 'clip', 'delivery', 'timeline', 'show'];
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
