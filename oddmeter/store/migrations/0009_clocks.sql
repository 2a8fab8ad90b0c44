-- The times of the frames of a clip where they are its own: 64-bit ticks, compressed, of so many seconds each; and what
-- they are like. Clips that were looked at before they were kept are looked at again.
alter table clip_facts
    add column clock bytea,
    add column clock_base text check (clock_base ~ '^[1-9][0-9]*/[1-9][0-9]*$'),
    add column uneven jsonb check (uneven is null or uneven ?& array['stretches', 'twice', 'missing']),
    add constraint clock_whole check ((clock is null) = (clock_base is null));
update clip_facts set state = 'waiting' where timing = 'variable' and state = 'done';
