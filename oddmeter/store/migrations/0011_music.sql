-- The strokes of a piece of music as people left them, in millionths of a second from its beginning. Those that are
-- found are found again where nobody has changed them.
create table music (
    id bigint generated always as identity primary key,
    show_id bigint not null references show on delete cascade,
    root text not null check (length(root) between 1 and 200),
    path text not null check (length(path) between 1 and 4000),
    strokes bigint[] not null check (array_position(strokes, null) is null),
    revision integer not null default 1,
    unique (show_id, root, path)
);
select journal_table('music', 120);
