-- The folder below its media root that a report lay in: of clips of one name, its rows mean those beside it. Empty of
-- reports that came by themselves, and of all from before.
alter table log_report add column folder text not null default '' check (length(folder) <= 4096);
select journal_column('log_report', 'folder', '""');
