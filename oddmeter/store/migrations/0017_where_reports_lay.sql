-- The folder below its media root that a report lay in: of clips of one name, its rows mean those beside it. Null of
-- reports that came by themselves, and of all from before.
alter table log_report add column folder text check (length(folder) <= 4096);
