-- Whether the file of a render has been made by it: where its proof broke off, trying again proves it once more.
alter table render add column made boolean not null default false;
update render set made = true where state in ('done', 'proving');
