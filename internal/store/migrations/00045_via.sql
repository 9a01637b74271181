-- +goose Up
-- By what somebody has the rights of a local group, or what makes a rule come to something else than it says.
alter table findings add column via text not null default '';

-- +goose Down
alter table findings drop column via;
