-- +goose Up

-- When a device first reported that it has a desired state, so that it is known how long that took.
alter table desired_states add column verified_at timestamptz;
create index desired_states_verified on desired_states (verified_at) where verified_at is not null;

-- +goose Down
drop index desired_states_verified;
alter table desired_states drop column verified_at;
