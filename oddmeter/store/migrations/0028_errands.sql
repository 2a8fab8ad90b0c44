-- Errands of packages that a worker runs: verified where one lies, or copied to a target. What came of it is kept.
create table errand (
    id bigint generated always as identity primary key,
    show_id bigint not null references show on delete cascade,
    kind text not null check (kind in ('verify', 'copy')),
    asked jsonb not null,
    person text not null default '',
    state text not null default 'waiting' check (state in ('waiting', 'running', 'done', 'failed')),
    what text not null default '',
    done bigint not null default 0,
    total bigint not null default 0,
    outcome jsonb,
    fault text,
    asked_at timestamptz not null default now(),
    finished_at timestamptz,
    check ((state = 'done') <= (outcome is not null))
);
create index errand_of_show on errand (show_id, id);
create trigger tell after insert or update or delete on errand for each statement execute function tell();
