-- Each row is told as a document once, not three times: of thousands that change together this is what takes long.
create or replace function journal_update() returns trigger
language plpgsql as $$
begin
    if open_change() is not null then
        insert into change_row (change_id, table_name, row_id, before, after)
        select open_change(), tg_table_name, told.id, told.before, told.after
        from (
            select n.id, to_jsonb(o) as before, to_jsonb(n) as after
            from new_rows n join old_rows o using (id) offset 0
        ) told
        where told.before - 'revision' <> told.after - 'revision'
        on conflict (change_id, table_name, row_id) do update set after = excluded.after;
    end if;
    return null;
end $$;
