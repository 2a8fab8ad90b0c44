-- What the pictures of a file lost as it was written, so that its proof can be made once more by the same measure.
alter table render add column losses bytea;
