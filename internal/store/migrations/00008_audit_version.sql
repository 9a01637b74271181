-- +goose Up
-- What the hash of an entry covers, and how; 0 for entries from before it was written down.
alter table audit_entries add column version integer not null default 0;

-- +goose Down
alter table audit_entries drop column version;
