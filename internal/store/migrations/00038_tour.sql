-- +goose Up
-- How far an operator has come with the tour of the console: empty before it, the number of a stop, or left.
alter table operators add column tour text not null default '';

-- +goose Down
alter table operators drop column tour;
