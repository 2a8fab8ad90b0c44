-- The files that were made last with a setting are found without looking at all others.
create index render_made on render (show_id, setting, id) where state = 'done';
