-- What a file can be made with is known where files are made, and a new setting there needs no change here.
alter table render drop constraint render_setting_check;
