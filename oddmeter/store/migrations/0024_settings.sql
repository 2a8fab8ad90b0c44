-- Settings of a show's own for made files, beside those that every show has. What can be in one is known where files
-- are made.
create table output_setting (
    id bigint generated always as identity primary key,
    show_id bigint not null references show on delete cascade,
    name text not null check (length(name) between 1 and 60),
    document jsonb not null,
    revision integer not null default 1
);
create unique index output_setting_name on output_setting (show_id, lower(name));
select journal_table('output_setting', 160);

-- A render keeps the whole setting that it was asked with; none where it is one that every show has, by its name.
alter table render add column setting_document jsonb;

-- How many renders of a show are in each state, so that nobody has to count them.
create table render_count (
    show_id bigint not null references show on delete cascade,
    state text not null,
    files bigint not null,
    primary key (show_id, state)
);
insert into render_count select show_id, state, count(*) from render group by show_id, state;

create function count_renders() returns trigger
language plpgsql as $$
begin
    if tg_op = 'INSERT' then
        insert into render_count as c
        select show_id, state, count(*) from new_rows group by show_id, state order by show_id, state
        on conflict (show_id, state) do update set files = c.files + excluded.files;
    elsif tg_op = 'DELETE' then
        insert into render_count as c
        select show_id, state, -count(*) from old_rows
        where exists (select from show where id = show_id) group by show_id, state order by show_id, state
        on conflict (show_id, state) do update set files = c.files + excluded.files;
    else
        insert into render_count as c
        select show_id, state, sum(n) from (
            select show_id, state, 1 as n from new_rows union all select show_id, state, -1 from old_rows) as rows
        group by show_id, state having sum(n) <> 0 order by show_id, state
        on conflict (show_id, state) do update set files = c.files + excluded.files;
    end if;
    return null;
end $$;
create trigger count_insert after insert on render referencing new table as new_rows
    for each statement execute function count_renders();
create trigger count_update after update on render referencing old table as old_rows new table as new_rows
    for each statement execute function count_renders();
create trigger count_delete after delete on render referencing old table as old_rows
    for each statement execute function count_renders();

create index render_under_way on render (show_id, id) where state in ('waiting', 'rendering', 'proving');
create index render_to_retry on render (show_id, id) where state in ('failed', 'cancelled');
create index render_begun on render (show_id, begun_at desc) where begun_at is not null;
create index render_by_output on render (out_path);
