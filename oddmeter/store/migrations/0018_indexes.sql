-- Which frame each packet of a file shows, and from which of them decoding can begin. Clips that were looked at before
-- it was kept are looked at again; what is decided on them stays.
alter table clip_facts add column frame_index bytea;
update clip_facts set state = 'waiting' where state = 'done' and frames > 0 and fault is null;
