-- What must hold of the events of a show whoever wrote them, and of two who wrote at the same time: asked of every change,
-- and of every undo, before it is committed. Changes of one show come one after another, so that each sees all before it.
create function insist_on_cuts(the_change bigint) returns void
language plpgsql as $$
declare
    touched bigint[];
    found record;
begin
    select array_agg(distinct told.timeline) into touched
    from change_row c,
         lateral (values ((c.before->>'timeline_id')::bigint), ((c.after->>'timeline_id')::bigint)) told(timeline)
    where c.change_id = the_change and c.table_name = 'event' and told.timeline is not null;
    if touched is null then
        return;
    end if;

    select laid.* into found
    from (
        select e.timeline_id, e.track, e.name, e.record_in,
               lag(e.name) over on_track as other, lag(e.record_in + e.length) over on_track as stop
        from event e where e.timeline_id = any(touched)
        window on_track as (partition by e.timeline_id, e.track order by e.record_in, e.id)
    ) laid
    where laid.record_in < laid.stop limit 1;
    if found is not null then
        raise exception '%', format('On %s “%s” would lie over “%s”.', found.track, found.name, found.other)
            using errcode = 'OM002';
    end if;

    if exists (
        with recursive inside (outermost, inner_id) as (
            select e.timeline_id, e.inner_id from event e
            where e.timeline_id = any(touched) and e.inner_id is not null
            union
            select i.outermost, e.inner_id from inside i join event e on e.timeline_id = i.inner_id
            where e.inner_id is not null
        )
        select 1 from inside where outermost = inner_id
    ) then
        raise exception 'A timeline cannot be placed inside itself.' using errcode = 'OM003';
    end if;
end $$;
