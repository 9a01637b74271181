-- +goose Up

-- Version that the change had once the edit was in it: whoever replaces an edit names the one that was read.
alter table change_edits add column version bigint not null default 1;
alter table change_edits alter column version drop default;

create index changes_closed on changes (closed_at) where closed_at is not null;

-- +goose Down
drop index changes_closed;
alter table change_edits drop column version;
