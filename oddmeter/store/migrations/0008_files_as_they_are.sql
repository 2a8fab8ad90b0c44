-- What identifies a clip's file, so that another one in its place is noticed; how its pictures are turned; and what its
-- samples can hold.
alter table clip_facts
    add column identity jsonb check (identity is null or identity ?& array['size', 'changed', 'samples', 'whole']),
    add column replaced boolean not null default false,
    add column turn text not null default 'upright',
    add column pixel_format text not null default '',
    add column bits integer not null default 0 check (bits >= 0),
    add column transfer text not null default '';

-- For each show with reports, how often something has changed that rows of reports are matched with clips by.
create table matching (
    show_id bigint primary key references show on delete cascade,
    times bigint not null default 1
);
insert into matching (show_id) select distinct show_id from log_report;

create function matching_of_reports() returns trigger
language plpgsql as $$
begin
    insert into matching (show_id) select distinct show_id from changed_rows
    on conflict (show_id) do update set times = matching.times + 1;
    return null;
end $$;
create trigger matching_insert after insert on log_report referencing new table as changed_rows
    for each statement execute function matching_of_reports();
create trigger matching_update after update on log_report referencing new table as changed_rows
    for each statement execute function matching_of_reports();
create trigger matching_delete after delete on log_report referencing old table as changed_rows
    for each statement execute function matching_of_reports();

create function matching_of_deliveries() returns trigger
language plpgsql as $$
begin
    update matching set times = times + 1 where show_id in (select show_id from changed_rows);
    return null;
end $$;
create trigger matching_insert after insert on delivery referencing new table as changed_rows
    for each statement execute function matching_of_deliveries();
create trigger matching_update after update on delivery referencing new table as changed_rows
    for each statement execute function matching_of_deliveries();

create function matching_of_clips() returns trigger
language plpgsql as $$
begin
    update matching set times = times + 1
    where show_id in (select d.show_id from delivery d join changed_rows c on c.delivery_id = d.id);
    return null;
end $$;
create trigger matching_insert after insert on clip referencing new table as changed_rows
    for each statement execute function matching_of_clips();
create trigger matching_update after update on clip referencing new table as changed_rows
    for each statement execute function matching_of_clips();

create function matching_of_facts() returns trigger
language plpgsql as $$
begin
    update matching set times = times + 1
    where show_id in (
        select d.show_id from new_rows n join old_rows o using (clip_id)
        join clip c on c.id = n.clip_id join delivery d on d.id = c.delivery_id
        where (n.timecode, n.file_rate, n.frames) is distinct from (o.timecode, o.file_rate, o.frames));
    return null;
end $$;
create trigger matching_update after update on clip_facts referencing old table as old_rows new table as new_rows
    for each statement execute function matching_of_facts();
