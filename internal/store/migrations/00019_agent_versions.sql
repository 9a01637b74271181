-- +goose Up

-- The version of the agent of a device, as it said itself; empty until it says one.
alter table devices add column agent_version text not null default '';
