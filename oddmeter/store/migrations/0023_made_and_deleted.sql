-- A row that a change makes and deletes has no image on either side: there is nothing to bring back.
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
             where c.change_id = $1 and c.table_name = $2 and (case when $3 then c.after else c.before end) is null
               and (case when $3 then c.before else c.after end) is not null',
            name, name) using the_change, name, backwards;
    end loop;
end $$;
