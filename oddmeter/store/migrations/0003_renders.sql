-- Files to make, made, and proven. A render keeps the plan it was asked for: later decisions do not alter it.

create table render (
    id bigint generated always as identity primary key,
    show_id bigint not null references show on delete cascade,
    clip_id bigint not null references clip on delete cascade,
    setting text not null check (setting in ('archive', 'edit', 'view')),
    out_path text not null,
    plan jsonb not null,
    state text not null default 'waiting'
        check (state in ('waiting', 'rendering', 'proving', 'done', 'failed', 'cancelled')),
    attempts integer not null default 0,
    total_frames bigint not null check (total_frames > 0),
    done_frames bigint not null default 0,
    cancel_requested boolean not null default false,
    fault text,
    proof jsonb,
    asked_at timestamptz not null default now(),
    begun_at timestamptz,
    finished_at timestamptz
);
create index render_of_show on render (show_id, id);

-- No two renders are ever under way to, or done at, the same file.
create unique index render_output on render (out_path) where state in ('waiting', 'rendering', 'proving', 'done');

-- Tell listeners which table changed; PostgreSQL folds equal notices of one transaction into one.
create function tell() returns trigger
language plpgsql as $$
begin
    perform pg_notify('oddmeter', tg_table_name);
    return null;
end $$;

do $$
declare
    name text;
begin
    foreach name in array array['show', 'timeline', 'delivery', 'clip', 'clip_facts', 'treatment', 'change', 'render'] loop
        execute format('create trigger tell after insert or update or delete on %I for each statement execute function tell()', name);
    end loop;
end $$;
