-- +goose Up
-- A warrant may be for the devices of a group, as it was when it was asked for.
alter table warrants add column device_group text not null default '';

-- +goose Down
alter table warrants drop column device_group;
