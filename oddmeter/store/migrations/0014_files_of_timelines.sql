-- A file can be made of a timeline, or of a stretch of one: then it belongs to no one clip.
alter table render alter column clip_id drop not null;
alter table render add check (clip_id is not null or plan ? 'timelines');

-- Picture and sound that were placed together share a group; what was placed at another time shares another.
update event e set group_id = pair.id
from (
    select id as event_id, min(id) over (partition by timeline_id, group_id, record_in, clip_id) as id
    from event where group_id < 0
) pair
where e.id = pair.event_id;
