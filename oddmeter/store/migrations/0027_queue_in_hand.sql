-- The order of the queue: files of a higher urgency first, and among those of one by turn. A file that is paused waits
-- until it is to go on.
create sequence render_turn;
alter table render
    add column turn bigint not null default nextval('render_turn'),
    add column urgency smallint not null default 0 check (urgency between -1 and 1),
    add column paused boolean not null default false;
update render set turn = id;
select setval('render_turn', (select coalesce(max(id), 0) + 1 from render), false);
alter sequence render_turn owned by render.turn;

-- Where a show calls when files were made: the address, and the secret that calls are signed with.
create table hook (
    id bigint generated always as identity primary key,
    show_id bigint not null unique references show on delete cascade,
    address text not null check (length(address) between 1 and 2000),
    secret text not null,
    revision integer not null default 1
);
select journal_table('hook', 180);

-- Each call: what was said, and what came of it.
create table hook_call (
    id bigint generated always as identity primary key,
    show_id bigint not null references show on delete cascade,
    body jsonb not null,
    state text not null default 'waiting' check (state in ('waiting', 'answered', 'failed')),
    attempts integer not null default 0,
    answer text,
    asked_at timestamptz not null default now(),
    finished_at timestamptz
);
create index hook_call_of_show on hook_call (show_id, id);
create trigger tell after insert or update or delete on hook_call for each statement execute function tell();

-- A run whose end was told already.
alter table handoff_run add column ended boolean not null default false;
