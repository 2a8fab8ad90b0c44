-- Packages: files that were handed over together, with what was said of them; kept for ever. What one holds is a
-- document (its sheet), which nothing changes once it is closed.
create table package (
    id bigint generated always as identity primary key,
    show_id bigint not null references show on delete cascade,
    folder text not null check (length(folder) between 1 and 400),
    algorithm text not null,
    person text not null default '',
    renders bigint[] not null check (array_position(renders, null) is null and cardinality(renders) > 0),
    state text not null default 'waiting' check (state in ('waiting', 'closing', 'closed', 'failed')),
    done integer not null default 0,
    fault text,
    sheet jsonb,
    asked_at timestamptz not null default now(),
    finished_at timestamptz,
    check ((state = 'closed') = (sheet is not null))
);
create index package_of_show on package (show_id, id);
create unique index package_folder on package (folder) where state <> 'failed';
create trigger tell after insert or update or delete on package for each statement execute function tell();
