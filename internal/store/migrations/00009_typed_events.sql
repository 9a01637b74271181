-- +goose Up
-- Events hold values, and no sentences. What older events said in words is gone with the columns.
alter table device_events add column details jsonb not null default '{}';
alter table device_events drop column before, drop column after;

-- +goose Down
alter table device_events add column before text not null default '', add column after text not null default '';
alter table device_events drop column details;
