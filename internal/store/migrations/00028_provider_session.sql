-- +goose Up

-- The session from which somebody went to the provider to sign in again: the new one takes its place.
alter table provider_attempts add column session bytea;

-- +goose Down
alter table provider_attempts drop column session;
