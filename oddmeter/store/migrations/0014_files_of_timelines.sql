-- A file can be made of a timeline, or of a stretch of one: then it belongs to no one clip.
alter table render alter column clip_id drop not null;
alter table render add check (clip_id is not null or plan ? 'timelines');
