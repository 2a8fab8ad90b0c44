-- Every sound stream of a clip, in the order of the file, in place of the first alone. Clips with sound that were looked
-- at before are looked at again.
alter table clip_facts add column sounds jsonb not null default '[]' check (jsonb_typeof(sounds) = 'array');
update clip_facts set state = case state when 'done' then 'waiting' else state end,
    sounds = jsonb_build_array(jsonb_build_object('sample_rate', sound_rate, 'channels', sound_channels,
        'seconds', sound_seconds))
    where sound_rate is not null;
alter table clip_facts drop column sound_rate, drop column sound_channels, drop column sound_seconds;
