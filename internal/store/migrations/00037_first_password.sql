-- +goose Up
-- Somebody else gave an operator the password: whoever signs in with it changes it before anything else.
alter table operators add column first_password boolean not null default false;

-- +goose Down
alter table operators drop column first_password;
