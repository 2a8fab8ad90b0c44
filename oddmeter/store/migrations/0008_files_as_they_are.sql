-- What identifies a clip's file, so that another one in its place is noticed; how its pictures are turned; and what its
-- samples can hold.
alter table clip_facts
    add column identity jsonb check (identity is null or identity ?& array['size', 'changed', 'samples', 'whole']),
    add column replaced boolean not null default false,
    add column turn text not null default 'upright',
    add column pixel_format text not null default '',
    add column bits integer not null default 0 check (bits >= 0),
    add column transfer text not null default '';
