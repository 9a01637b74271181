-- +goose Up

-- Version that the change had once the edit was in it: whoever replaces an edit names the one that was read.
alter table change_edits add column version bigint not null default 1;
alter table change_edits alter column version drop default;

-- +goose Down
alter table change_edits drop column version;
