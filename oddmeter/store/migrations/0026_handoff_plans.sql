-- Handoff plans: outputs that a show makes again and again. What can be in one is known where files are asked for.
create table handoff_plan (
    id bigint generated always as identity primary key,
    show_id bigint not null references show on delete cascade,
    name text not null check (length(name) between 1 and 80),
    document jsonb not null,
    revision integer not null default 1
);
create unique index handoff_plan_name on handoff_plan (show_id, lower(name));
select journal_table('handoff_plan', 170);

-- A run: files that were asked for together, by a plan or without one; what existed unchanged then, and what was
-- refused, each with its sentence. A plan may be removed and brought back; its runs know it by its number.
create table handoff_run (
    id bigint generated always as identity primary key,
    show_id bigint not null references show on delete cascade,
    plan_id bigint,
    name text not null default '',
    person text not null default '',
    unchanged integer not null default 0,
    refused jsonb not null default '[]',
    asked_at timestamptz not null default now()
);
create index handoff_run_of_show on handoff_run (show_id, id);
create trigger tell after insert or update or delete on handoff_run for each statement execute function tell();

-- Of each file: its run, which output of the run's plan it is, and what it was made of and by: identities of its
-- sources, its order, and the tool's version, so that it can be said why it would be another file today.
alter table render
    add column run_id bigint references handoff_run on delete set null,
    add column output integer not null default 1,
    add column made_from text,
    add column order_digest text,
    add column tool text;
create index render_of_run on render (run_id, id) where run_id is not null;

-- The report of a run, as it was written last: a page that needs nothing else.
create table handoff_report (
    run_id bigint primary key references handoff_run on delete cascade,
    state text not null default 'waiting' check (state in ('waiting', 'ready', 'failed')),
    done integer not null default 0,
    page bytea,
    fault text,
    check ((state = 'ready') <= (page is not null))
);
create trigger tell after insert or update or delete on handoff_report for each statement execute function tell();
