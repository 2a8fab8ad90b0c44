-- Two more parts of a treatment, how pictures come into the timeline's raster and which frames are used, and original
-- pictures as a choice of fields. The checks that name the function hold what is stored against it as it is now.

create or replace function is_decisions(decided jsonb) returns boolean
language sql immutable as $$
    select jsonb_typeof(decided) = 'object' and not exists (
        select from jsonb_each_text(decided) as part (name, said) where not coalesce(case name
            when 'intent' then said ~ '^(real-time|every-frame|leave|(pace|speed) [1-9][0-9]{0,24}/[1-9][0-9]{0,24}|fit [1-9][0-9]{0,24}/1)$'
            when 'reading' then said ~ '^(file|shot|timeline|[1-9][0-9]{0,24}/[1-9][0-9]{0,24})( \* [1-9][0-9]{0,24}/[1-9][0-9]{0,24})?$'
            when 'fields' then said in ('whole', 'deinterlace', 'split', 'original')
            when 'between' then said in ('pick', 'mix', 'flow')
            when 'effort' then said in ('quick', 'normal', 'careful')
            when 'reach' then said ~ '^[1-9][0-9]{0,3}$'
            when 'trust' then said ~ '^[0-9]{1,25}/[1-9][0-9]{0,24}$'
            when 'held' then said ~ '^(off|[1-9][0-9]{0,3} frames|[1-9][0-9]{0,24}/[1-9][0-9]{0,24})$'
            when 'sound' then said in ('off', 'follow', 'pitch')
            when 'reverse' then said in ('yes', 'no')
            when 'framing' then said in ('keep', 'inside', 'fill', 'width', 'height', 'stretch')
            when 'span' then said ~ '^(whole|[0-9]{1,9}-[0-9]{0,9})$'
        end, false)
    )
$$;
